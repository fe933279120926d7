-- Looking joint by joint is a run like any other: its taps are the marks; it tells at which run's joints it looked. Earlier marks become the taps of such a look, in the order they were made; when is not known.
ALTER TABLE bench_run ADD COLUMN looks_at INTEGER REFERENCES bench_run (id) ON DELETE CASCADE;
CREATE INDEX bench_run_by_looks_at ON bench_run (looks_at);
INSERT INTO bench_run (job_id, kind, side, started_at, plan, over, piece_id, removed_at, looks_at)
SELECT job_id, 'look', side, started_at, json_object('joints', (
    SELECT json_group_array(json_object('ref', ref, 'pin', pin)) FROM (
        SELECT ref, pin FROM joint_mark WHERE run_id = bench_run.id ORDER BY rowid
    )
)), 1, piece_id, removed_at, id
FROM bench_run WHERE id IN (SELECT run_id FROM joint_mark) ORDER BY id;
-- `other` is the mark's own where the table has it, else the blank beside: some databases were made before it had.
INSERT INTO bench_tap (run_id, key, cue, word, at_ms, text)
SELECT look, 'kept ' || place, cue, verdict, 0, (SELECT other FROM joint_mark WHERE joint_mark.rowid = place)
FROM (
    SELECT bench_run.id AS look, joint_mark.rowid AS place, ref || '.' || pin AS cue, verdict, '' AS other
    FROM joint_mark JOIN bench_run ON bench_run.looks_at = joint_mark.run_id
) ORDER BY place;
DROP TABLE joint_mark;
