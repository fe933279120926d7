-- A job has a purpose, its parts, its pieces (boards one by one) and its heats; the heat plan that a job had becomes its first heat.
CREATE TABLE heat (
    id INTEGER PRIMARY KEY,
    job_id INTEGER NOT NULL REFERENCES job (id) ON DELETE CASCADE,
    name TEXT NOT NULL DEFAULT '' CHECK (length(name) <= 80),
    plan TEXT NOT NULL CHECK (json_valid(plan))
) STRICT;
CREATE INDEX heat_by_job ON heat (job_id);
INSERT INTO heat (job_id, plan) SELECT id, plan FROM job ORDER BY id;
ALTER TABLE job ADD COLUMN purpose TEXT NOT NULL DEFAULT 'build' CHECK (length(purpose) BETWEEN 1 AND 20);
ALTER TABLE job ADD COLUMN parts TEXT NOT NULL DEFAULT '[]' CHECK (json_valid(parts));
ALTER TABLE job ADD COLUMN heat_id INTEGER REFERENCES heat (id) ON DELETE SET NULL;
ALTER TABLE job ADD COLUMN removed_at TEXT;
UPDATE job SET heat_id = (SELECT id FROM heat WHERE heat.job_id = job.id);
ALTER TABLE job DROP COLUMN plan;
CREATE TABLE piece (
    id INTEGER PRIMARY KEY,
    board_id INTEGER NOT NULL REFERENCES board (id) ON DELETE CASCADE,
    name TEXT NOT NULL CHECK (length(name) BETWEEN 1 AND 40),
    made_at TEXT NOT NULL,
    UNIQUE (board_id, name)
) STRICT;
CREATE TABLE job_piece (
    job_id INTEGER NOT NULL REFERENCES job (id) ON DELETE CASCADE,
    piece_id INTEGER NOT NULL REFERENCES piece (id) ON DELETE CASCADE,
    PRIMARY KEY (job_id, piece_id)
) STRICT;
ALTER TABLE job ADD COLUMN piece_id INTEGER REFERENCES piece (id) ON DELETE SET NULL;
ALTER TABLE bench_run ADD COLUMN heat_id INTEGER REFERENCES heat (id) ON DELETE SET NULL;
ALTER TABLE bench_run ADD COLUMN piece_id INTEGER REFERENCES piece (id) ON DELETE SET NULL;
ALTER TABLE bench_run ADD COLUMN over INTEGER NOT NULL DEFAULT 0 CHECK (over IN (0, 1));
UPDATE bench_run SET heat_id = (SELECT heat_id FROM job WHERE job.id = bench_run.job_id) WHERE kind = 'heat';
UPDATE bench_run SET over = 1 WHERE EXISTS (SELECT 1 FROM bench_tap WHERE bench_tap.run_id = bench_run.id AND bench_tap.cue = 'solid');
