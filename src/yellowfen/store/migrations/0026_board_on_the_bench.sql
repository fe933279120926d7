-- A job of several boards says which one is on the bench, or that all are worked on alike; a passport names the run that took its part off.
ALTER TABLE job ADD COLUMN all_alike INTEGER NOT NULL DEFAULT 0 CHECK (all_alike IN (0, 1));
UPDATE job SET all_alike = 1 WHERE piece_id IS NULL
AND EXISTS (SELECT 1 FROM bench_run WHERE bench_run.job_id = job.id AND bench_run.piece_id IS NULL AND bench_run.kind <> 'kit');
ALTER TABLE passport ADD COLUMN run_id INTEGER;
UPDATE passport SET run_id = (SELECT max(bench_run.id) FROM bench_run JOIN bench_tap ON bench_tap.run_id = bench_run.id
WHERE bench_run.job_id = passport.job_id AND bench_run.kind = 'heat' AND bench_run.piece_id IS passport.piece_id
AND bench_tap.cue = 'lifted ' || json_extract(passport.content, '$.ref') AND bench_tap.word = 'done');
CREATE INDEX bench_run_by_piece ON bench_run (piece_id);
