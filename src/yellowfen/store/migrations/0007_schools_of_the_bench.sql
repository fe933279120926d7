CREATE TABLE IF NOT EXISTS bench_school (
    question TEXT PRIMARY KEY CHECK (length(question) BETWEEN 1 AND 40),
    school TEXT NOT NULL CHECK (length(school) BETWEEN 1 AND 80)
) STRICT;
CREATE TABLE place_tap_of_long_names (
    id INTEGER PRIMARY KEY,
    run_id INTEGER NOT NULL REFERENCES place_run (id) ON DELETE CASCADE,
    key TEXT NOT NULL CHECK (length(key) BETWEEN 1 AND 64),
    ref TEXT NOT NULL CHECK (length(ref) BETWEEN 1 AND 300),
    what TEXT NOT NULL CHECK (what IN ('placed', 'skipped', 'dropped', 'missing', 'doubtful')),
    at_ms INTEGER NOT NULL CHECK (at_ms >= 0),
    UNIQUE (run_id, key)
) STRICT;
INSERT INTO place_tap_of_long_names SELECT id, run_id, key, ref, what, at_ms FROM place_tap;
DROP TABLE place_tap;
ALTER TABLE place_tap_of_long_names RENAME TO place_tap;
CREATE INDEX place_tap_by_run ON place_tap (run_id);
