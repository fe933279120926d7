CREATE TABLE paste_plan (
    job_id INTEGER PRIMARY KEY REFERENCES job (id) ON DELETE CASCADE,
    content TEXT NOT NULL CHECK (json_valid(content))
) STRICT;
CREATE TABLE opening_step (
    id INTEGER PRIMARY KEY,
    job_id INTEGER NOT NULL REFERENCES job (id) ON DELETE CASCADE,
    made_at TEXT NOT NULL,
    content TEXT NOT NULL CHECK (json_valid(content))
) STRICT;
CREATE INDEX opening_step_by_job ON opening_step (job_id);
CREATE TABLE weighing (
    id INTEGER PRIMARY KEY,
    job_id INTEGER NOT NULL REFERENCES job (id) ON DELETE CASCADE,
    made_at TEXT NOT NULL,
    foil_um INTEGER NOT NULL CHECK (foil_um BETWEEN 30 AND 500),
    paste TEXT NOT NULL,
    content TEXT NOT NULL CHECK (json_valid(content))
) STRICT;
CREATE INDEX weighing_by_foil ON weighing (foil_um, paste);
CREATE TABLE printed (
    id INTEGER PRIMARY KEY,
    job_id INTEGER NOT NULL REFERENCES job (id) ON DELETE CASCADE,
    made_at TEXT NOT NULL,
    found TEXT NOT NULL CHECK (found IN ('good', 'smeared', 'missing')),
    wiped INTEGER NOT NULL CHECK (wiped IN (0, 1)),
    repeated INTEGER NOT NULL CHECK (repeated IN (0, 1)),
    foil_um INTEGER NOT NULL CHECK (foil_um BETWEEN 30 AND 500),
    paste TEXT NOT NULL,
    lot_event_id INTEGER
) STRICT;
CREATE INDEX printed_by_job ON printed (job_id);
CREATE TABLE paste_lot (
    id INTEGER PRIMARY KEY,
    name TEXT NOT NULL UNIQUE CHECK (length(name) BETWEEN 1 AND 60),
    paste TEXT NOT NULL CHECK (json_valid(paste)),
    container TEXT NOT NULL CHECK (container IN ('jar', 'syringe', 'cartridge')),
    grams REAL NOT NULL CHECK (grams BETWEEN 0.5 AND 5000),
    bought_s REAL NOT NULL,
    expires_s REAL
) STRICT;
CREATE TABLE lot_event (
    id INTEGER PRIMARY KEY,
    lot_id INTEGER NOT NULL REFERENCES paste_lot (id) ON DELETE CASCADE,
    kind TEXT NOT NULL CHECK (kind IN ('out of the cold', 'back in the cold', 'opened', 'used', 'empty')),
    at_s REAL NOT NULL,
    grams REAL NOT NULL DEFAULT 0 CHECK (grams BETWEEN 0 AND 5000),
    said TEXT NOT NULL DEFAULT ''
) STRICT;
CREATE INDEX lot_event_by_lot ON lot_event (lot_id);
CREATE TABLE paste_supply (
    kind TEXT NOT NULL CHECK (kind IN ('needle', 'foil')),
    size REAL NOT NULL CHECK (size > 0),
    PRIMARY KEY (kind, size)
) STRICT;
CREATE TABLE hand_run (
    id INTEGER PRIMARY KEY,
    job_id INTEGER NOT NULL REFERENCES job (id) ON DELETE CASCADE,
    side TEXT NOT NULL CHECK (side IN ('top', 'bottom')),
    started_at TEXT NOT NULL,
    plan TEXT NOT NULL CHECK (json_valid(plan))
) STRICT;
CREATE INDEX hand_run_by_job ON hand_run (job_id);
CREATE TABLE hand_tap (
    id INTEGER PRIMARY KEY,
    run_id INTEGER NOT NULL REFERENCES hand_run (id) ON DELETE CASCADE,
    key TEXT NOT NULL CHECK (length(key) BETWEEN 1 AND 64),
    step INTEGER NOT NULL CHECK (step >= 0),
    at_ms INTEGER NOT NULL CHECK (at_ms >= 0),
    UNIQUE (run_id, key),
    UNIQUE (run_id, step)
) STRICT;
-- Openings are now kept finely enough to be written out again.
UPDATE board SET stale = 1 WHERE sketch IS NULL;
