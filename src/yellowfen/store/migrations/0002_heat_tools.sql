CREATE TABLE tool (
    id INTEGER PRIMARY KEY,
    kind TEXT NOT NULL CHECK (kind IN ('plate', 'oven', 'preheater', 'iron')),
    name TEXT NOT NULL UNIQUE CHECK (length(name) BETWEEN 1 AND 60),
    content TEXT NOT NULL CHECK (json_valid(content))
) STRICT;
CREATE TABLE calibration (
    id INTEGER PRIMARY KEY,
    station_id INTEGER REFERENCES station (id) ON DELETE CASCADE,
    tool_id INTEGER REFERENCES tool (id) ON DELETE CASCADE,
    made_at TEXT NOT NULL,
    how TEXT NOT NULL CHECK (how IN ('melt test', 'log', 'taps')),
    said TEXT NOT NULL,
    result TEXT NOT NULL CHECK (json_valid(result)),
    undone INTEGER NOT NULL DEFAULT 0 CHECK (undone IN (0, 1)),
    CHECK ((station_id IS NULL) <> (tool_id IS NULL))
) STRICT;
CREATE TABLE task (
    id INTEGER PRIMARY KEY,
    job_id INTEGER NOT NULL REFERENCES job (id) ON DELETE CASCADE,
    kind TEXT NOT NULL CHECK (kind IN ('window', 'settings')),
    asked TEXT NOT NULL CHECK (json_valid(asked)),
    state TEXT NOT NULL DEFAULT 'waiting' CHECK (state IN ('waiting', 'working', 'done', 'cancelled', 'failed')),
    said TEXT NOT NULL DEFAULT '',
    asked_at TEXT NOT NULL
) STRICT;
CREATE TABLE task_step (
    task_id INTEGER NOT NULL REFERENCES task (id) ON DELETE CASCADE,
    place INTEGER NOT NULL,
    content TEXT NOT NULL CHECK (json_valid(content)),
    PRIMARY KEY (task_id, place)
) STRICT;
CREATE INDEX calibration_by_station ON calibration (station_id);
CREATE INDEX calibration_by_tool ON calibration (tool_id);
CREATE INDEX task_by_job ON task (job_id);
