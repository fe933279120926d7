CREATE TABLE ready_plan (
    job_id INTEGER PRIMARY KEY REFERENCES job (id) ON DELETE CASCADE,
    content TEXT NOT NULL CHECK (json_valid(content))
) STRICT;
CREATE TABLE schedule_done (
    job_id INTEGER NOT NULL REFERENCES job (id) ON DELETE CASCADE,
    task TEXT NOT NULL CHECK (length(task) BETWEEN 1 AND 80),
    start_s REAL NOT NULL,
    end_s REAL NOT NULL CHECK (end_s >= start_s),
    PRIMARY KEY (job_id, task)
) STRICT;
CREATE TABLE kit_place (
    line TEXT PRIMARY KEY CHECK (length(line) BETWEEN 1 AND 300),
    place TEXT NOT NULL CHECK (length(place) <= 80)
) STRICT;
CREATE TABLE kit_found (
    job_id INTEGER NOT NULL REFERENCES job (id) ON DELETE CASCADE,
    line TEXT NOT NULL CHECK (length(line) BETWEEN 1 AND 300),
    found TEXT NOT NULL CHECK (found IN ('there', 'missing', 'another instead')),
    instead TEXT NOT NULL DEFAULT '' CHECK (length(instead) <= 120),
    PRIMARY KEY (job_id, line)
) STRICT;
CREATE TABLE place_run (
    id INTEGER PRIMARY KEY,
    job_id INTEGER NOT NULL REFERENCES job (id) ON DELETE CASCADE,
    side TEXT NOT NULL CHECK (side IN ('top', 'bottom')),
    started_at TEXT NOT NULL,
    steps TEXT NOT NULL CHECK (json_valid(steps))
) STRICT;
CREATE INDEX place_run_by_job ON place_run (job_id);
CREATE TABLE place_tap (
    id INTEGER PRIMARY KEY,
    run_id INTEGER NOT NULL REFERENCES place_run (id) ON DELETE CASCADE,
    key TEXT NOT NULL CHECK (length(key) BETWEEN 1 AND 64),
    ref TEXT NOT NULL CHECK (length(ref) BETWEEN 1 AND 80),
    what TEXT NOT NULL CHECK (what IN ('placed', 'skipped', 'dropped', 'missing', 'doubtful')),
    at_ms INTEGER NOT NULL CHECK (at_ms >= 0),
    UNIQUE (run_id, key)
) STRICT;
CREATE INDEX place_tap_by_run ON place_tap (run_id);
