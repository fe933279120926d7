-- What a rework or salvage knows beside its runs: what was asked about a board once, the parts that came off with what is behind them, and by which class a joint counts as good.
CREATE TABLE survey (
    job_id INTEGER NOT NULL REFERENCES job (id) ON DELETE CASCADE,
    piece_id INTEGER NOT NULL DEFAULT 0,
    content TEXT NOT NULL CHECK (json_valid(content)),
    PRIMARY KEY (job_id, piece_id)
) STRICT;
CREATE TABLE passport (
    id INTEGER PRIMARY KEY,
    job_id INTEGER REFERENCES job (id) ON DELETE SET NULL,
    piece_id INTEGER REFERENCES piece (id) ON DELETE SET NULL,
    made_at TEXT NOT NULL,
    content TEXT NOT NULL CHECK (json_valid(content)),
    used_at TEXT,
    removed_at TEXT
) STRICT;
CREATE INDEX passport_by_job ON passport (job_id);
ALTER TABLE job ADD COLUMN grade INTEGER NOT NULL DEFAULT 2 CHECK (grade BETWEEN 1 AND 3);
UPDATE heat SET plan = json_set(plan, '$.goal', 'lift')
WHERE name LIKE 'Off%' AND (SELECT purpose FROM job WHERE job.id = heat.job_id) IN ('rework', 'salvage')
AND NOT EXISTS (SELECT 1 FROM bench_run WHERE bench_run.heat_id = heat.id);
