CREATE TABLE board (
    id INTEGER PRIMARY KEY,
    name TEXT NOT NULL CHECK (length(name) BETWEEN 1 AND 120),
    created_at TEXT NOT NULL,
    content TEXT NOT NULL CHECK (json_valid(content))
) STRICT;
CREATE TABLE board_file (
    board_id INTEGER NOT NULL REFERENCES board (id) ON DELETE CASCADE,
    name TEXT NOT NULL,
    chosen_role TEXT,
    bytes BLOB NOT NULL,
    PRIMARY KEY (board_id, name)
) STRICT;
CREATE TABLE station (
    id INTEGER PRIMARY KEY,
    name TEXT NOT NULL UNIQUE CHECK (length(name) BETWEEN 1 AND 60),
    nozzle_mm REAL NOT NULL CHECK (nozzle_mm BETWEEN 1 AND 30),
    outlet_c REAL NOT NULL CHECK (outlet_c BETWEEN -100 AND 750),
    flow_lpm REAL NOT NULL CHECK (flow_lpm BETWEEN 1 AND 200),
    outlet_label TEXT NOT NULL,
    flow_label TEXT NOT NULL,
    outlet_offset_c REAL NOT NULL CHECK (outlet_offset_c BETWEEN -150 AND 150)
) STRICT;
CREATE TABLE job (
    id INTEGER PRIMARY KEY,
    board_id INTEGER NOT NULL REFERENCES board (id) ON DELETE CASCADE,
    name TEXT NOT NULL CHECK (length(name) BETWEEN 1 AND 120),
    created_at TEXT NOT NULL,
    plan TEXT NOT NULL CHECK (json_valid(plan))
) STRICT;
CREATE TABLE run (
    id INTEGER PRIMARY KEY,
    job_id INTEGER NOT NULL REFERENCES job (id) ON DELETE CASCADE,
    started_at TEXT NOT NULL,
    started_ms INTEGER,
    plan TEXT NOT NULL CHECK (json_valid(plan)),
    forecast TEXT NOT NULL CHECK (json_valid(forecast)),
    note TEXT NOT NULL DEFAULT '' CHECK (length(note) <= 4000),
    finished INTEGER NOT NULL DEFAULT 0 CHECK (finished IN (0, 1))
) STRICT;
CREATE TABLE tap (
    id INTEGER PRIMARY KEY,
    run_id INTEGER NOT NULL REFERENCES run (id) ON DELETE CASCADE,
    key TEXT NOT NULL CHECK (length(key) BETWEEN 1 AND 64),
    kind TEXT NOT NULL CHECK (kind IN ('start', 'next move', 'it flowed', 'heat away', 'solid')),
    ref TEXT NOT NULL,
    at_s REAL NOT NULL CHECK (at_s BETWEEN 0 AND 86400),
    UNIQUE (run_id, key)
) STRICT;
CREATE TABLE found_mark (
    run_id INTEGER NOT NULL REFERENCES run (id) ON DELETE CASCADE,
    ref TEXT NOT NULL,
    pin TEXT NOT NULL,
    verdict TEXT NOT NULL CHECK (verdict IN ('good', 'bridge', 'open', 'lean', 'ball', 'skewed', 'lifted pad', 'other')),
    PRIMARY KEY (run_id, ref, pin)
) STRICT;
CREATE INDEX job_by_board ON job (board_id);
CREATE INDEX run_by_job ON run (job_id);
CREATE INDEX tap_by_run ON tap (run_id);
