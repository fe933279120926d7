-- Everything done at the bench by one key is a run of one kind or another, with its taps; earlier runs move in with what they hold.
CREATE TABLE bench_run (
    id INTEGER PRIMARY KEY,
    job_id INTEGER NOT NULL REFERENCES job (id) ON DELETE CASCADE,
    kind TEXT NOT NULL CHECK (length(kind) BETWEEN 1 AND 20),
    side TEXT NOT NULL DEFAULT '' CHECK (side IN ('', 'top', 'bottom')),
    started_at TEXT NOT NULL,
    plan TEXT NOT NULL CHECK (json_valid(plan)),
    forecast TEXT CHECK (forecast IS NULL OR json_valid(forecast)),
    note TEXT NOT NULL DEFAULT '' CHECK (length(note) <= 4000),
    finished INTEGER NOT NULL DEFAULT 0 CHECK (finished IN (0, 1))
) STRICT;
CREATE INDEX bench_run_by_job ON bench_run (job_id, kind);
CREATE TABLE bench_tap (
    id INTEGER PRIMARY KEY,
    run_id INTEGER NOT NULL REFERENCES bench_run (id) ON DELETE CASCADE,
    key TEXT NOT NULL CHECK (length(key) BETWEEN 1 AND 64),
    cue TEXT NOT NULL CHECK (length(cue) BETWEEN 1 AND 320),
    word TEXT NOT NULL CHECK (length(word) BETWEEN 1 AND 40),
    at_ms INTEGER NOT NULL CHECK (at_ms >= 0),
    text TEXT NOT NULL DEFAULT '' CHECK (length(text) <= 400),
    UNIQUE (run_id, key)
) STRICT;
CREATE INDEX bench_tap_by_run ON bench_tap (run_id);
CREATE TABLE joint_mark (
    run_id INTEGER NOT NULL REFERENCES bench_run (id) ON DELETE CASCADE,
    ref TEXT NOT NULL,
    pin TEXT NOT NULL,
    verdict TEXT NOT NULL CHECK (length(verdict) BETWEEN 1 AND 40),
    PRIMARY KEY (run_id, ref, pin)
) STRICT;
INSERT INTO bench_run (id, job_id, kind, started_at, plan, forecast, note, finished)
SELECT id, job_id, 'heat', started_at, plan, forecast, note, finished FROM run;
INSERT INTO bench_tap (run_id, key, cue, word, at_ms)
SELECT tap.run_id, tap.key,
    CASE tap.kind
        WHEN 'start' THEN 'start'
        WHEN 'next move' THEN 'move ' || (1 + (
            SELECT count(*) FROM tap AS before WHERE before.run_id = tap.run_id AND before.kind = 'next move' AND before.id <= tap.id
        ))
        WHEN 'it flowed' THEN 'flowed ' || tap.ref
        WHEN 'heat away' THEN 'away'
        ELSE 'solid'
    END,
    'done', CAST(round(coalesce(run.started_ms, 0) + 1000 * tap.at_s) AS INTEGER)
FROM tap JOIN run ON run.id = tap.run_id ORDER BY tap.id;
INSERT INTO joint_mark (run_id, ref, pin, verdict) SELECT run_id, ref, pin, verdict FROM found_mark ORDER BY rowid;
INSERT INTO bench_run (id, job_id, kind, side, started_at, plan)
SELECT coalesce((SELECT max(id) FROM run), 0) + place_run.id, job_id, 'place', side, started_at, json_object('steps', (
    SELECT json_group_array(json_object(
        'ref', json_extract(step.value, '$.ref'), 'turn_deg', json_extract(step.value, '$.turn_deg'),
        'batch', coalesce(json_extract(step.value, '$.batch'), 0),
        'anew', json(CASE WHEN json_extract(step.value, '$.anew') THEN 'true' ELSE 'false' END)
    )) FROM json_each(place_run.steps, '$.steps') AS step
)) FROM place_run;
INSERT INTO bench_tap (run_id, key, cue, word, at_ms)
SELECT coalesce((SELECT max(id) FROM run), 0) + run_id, key, ref, what, at_ms FROM place_tap ORDER BY id;
INSERT INTO bench_run (id, job_id, kind, side, started_at, plan)
SELECT coalesce((SELECT max(id) FROM run), 0) + coalesce((SELECT max(id) FROM place_run), 0) + id, job_id, 'paste', side, started_at, plan
FROM hand_run;
INSERT INTO bench_tap (run_id, key, cue, word, at_ms)
SELECT coalesce((SELECT max(id) FROM run), 0) + coalesce((SELECT max(id) FROM place_run), 0) + run_id, key, CAST(step AS TEXT), 'done', at_ms
FROM hand_tap ORDER BY id;
INSERT INTO bench_run (job_id, kind, started_at, plan)
SELECT job_id, 'kit', datetime('now'), json_object('lines', json_group_array(json_object('key', line)))
FROM kit_found GROUP BY job_id;
INSERT INTO bench_tap (run_id, key, cue, word, at_ms, text)
SELECT bench_run.id, 'kept ' || kit_found.rowid, kit_found.line, kit_found.found, 0, kit_found.instead
FROM kit_found JOIN bench_run ON bench_run.job_id = kit_found.job_id AND bench_run.kind = 'kit' ORDER BY kit_found.rowid;
DROP TABLE kit_found;
DROP TABLE hand_tap;
DROP TABLE hand_run;
DROP TABLE place_tap;
DROP TABLE place_run;
DROP TABLE found_mark;
DROP TABLE tap;
DROP TABLE run;
