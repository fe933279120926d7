BEGIN TRANSACTION;
CREATE TABLE acceptance (
    grade INTEGER PRIMARY KEY CHECK (grade BETWEEN 1 AND 3),
    content TEXT NOT NULL CHECK (json_valid(content))
) STRICT;
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
, heat_id INTEGER REFERENCES heat (id) ON DELETE SET NULL, piece_id INTEGER REFERENCES piece (id) ON DELETE SET NULL, over INTEGER NOT NULL DEFAULT 0 CHECK (over IN (0, 1)), removed_at TEXT, looks_at INTEGER REFERENCES bench_run (id) ON DELETE CASCADE) STRICT;
CREATE TABLE bench_school (
    question TEXT PRIMARY KEY CHECK (length(question) BETWEEN 1 AND 40),
    school TEXT NOT NULL CHECK (length(school) BETWEEN 1 AND 80)
) STRICT;
CREATE TABLE bench_setting (
    name TEXT PRIMARY KEY CHECK (length(name) BETWEEN 1 AND 40),
    value TEXT NOT NULL CHECK (length(value) <= 200)
) STRICT;
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
CREATE TABLE board (
    id INTEGER PRIMARY KEY,
    name TEXT NOT NULL CHECK (length(name) BETWEEN 1 AND 120),
    created_at TEXT NOT NULL,
    content TEXT NOT NULL CHECK (json_valid(content))
, choices TEXT NOT NULL DEFAULT '{}' CHECK (json_valid(choices)), sketch TEXT CHECK (sketch IS NULL OR json_valid(sketch)), revision_of INTEGER REFERENCES board (id) ON DELETE SET NULL, stale INTEGER NOT NULL DEFAULT 0 CHECK (stale IN (0, 1)), reread TEXT CHECK (reread IS NULL OR json_valid(reread))) STRICT;
INSERT INTO "board" VALUES(1,'Ordinary','2026-12-02 05:45:47','{"name":"Ordinary","width_mm":20.0,"height_mm":20.0,"thickness_mm":1.6,"outline":[[[0.0,0.0],[0.0,20.0],[20.0,20.0],[20.0,0.0]]],"pads":[{"side":"top","x_mm":9.15,"y_mm":10.0,"size_x_mm":0.9,"size_y_mm":0.95,"angle_deg":0.0,"area_mm2":0.855,"paste_mm2":0.855,"ring":[[9.6,9.525],[9.6,10.475],[8.7,10.475],[8.7,9.525]],"ref":"R1","pin":"1","net":"net 1","tie":""},{"side":"top","x_mm":10.85,"y_mm":10.0,"size_x_mm":0.9,"size_y_mm":0.95,"angle_deg":0.0,"area_mm2":0.855,"paste_mm2":0.855,"ring":[[11.3,9.525],[11.3,10.475],[10.4,10.475],[10.4,9.525]],"ref":"R1","pin":"2","net":"net 2","tie":""},{"side":"top","x_mm":9.15,"y_mm":14.0,"size_x_mm":0.9,"size_y_mm":0.95,"angle_deg":0.0,"area_mm2":0.855,"paste_mm2":0.855,"ring":[[9.6,13.525],[9.6,14.475],[8.7,14.475],[8.7,13.525]],"ref":"C1","pin":"1","net":"net 3","tie":""},{"side":"top","x_mm":10.85,"y_mm":14.0,"size_x_mm":0.9,"size_y_mm":0.95,"angle_deg":0.0,"area_mm2":0.855,"paste_mm2":0.855,"ring":[[11.3,13.525],[11.3,14.475],[10.4,14.475],[10.4,13.525]],"ref":"C1","pin":"2","net":"net 4","tie":""}],"holes":[],"copper":[{"layer":"top","depth":0.0,"thickness_um":35.0,"cell_mm":0.5,"coverage":[[0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0],[0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0],[0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0],[0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0],[0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0],[0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0],[0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0],[0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0],[0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0],[0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0],[0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0],[0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0],[0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0],[0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0],[0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0],[0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0],[0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0],[0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0],[0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0],[0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.552,0.92,0.184,0.184,0.92,0.552,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0],[0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.576,0.96,0.192,0.192,0.96,0.576,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0],[0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0],[0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0],[0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0],[0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0],[0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0],[0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0],[0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.576,0.96,0.192,0.192,0.96,0.576,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0],[0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.552,0.92,0.184,0.184,0.92,0.552,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0],[0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0],[0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0],[0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0],[0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0],[0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0],[0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0],[0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0],[0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0],[0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0],[0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0],[0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0]],"area_mm2":3.384,"links":["eJxjYBgFo2CEAZ4vpgymX3gIKvsNVPaboLKRA4gMECKDdxQMYgAA2hMJxQ==","eJxjYBgFo2AYA2k5YWE5acLqjv0vKvp/jLA6OUUxMUU5yt01VACx/iU2/IiNj1EwoAAAmd0LYQ=="]}],"parts":[{"ref":"R1","value":"2k2","footprint":"0603","x_mm":10.0,"y_mm":10.0,"rotation_deg":0.0,"side":"top","package":{"name":"0603 (metric 1608)","family":"chip","body_x_mm":1.6,"body_y_mm":0.8,"height_mm":0.6,"gap_mm":0.03,"volumetric_heat_mj_m3k":3.0,"lead_w_k":0.02,"tab_w_k":0.5,"limit_c":270.0,"limit_why":"ceramic chip","lands":[{"pin":"1","x_mm":-0.8499999999999996,"y_mm":0.0,"size_x_mm":0.9,"size_y_mm":0.95,"kind":"chip"},{"pin":"2","x_mm":0.8499999999999996,"y_mm":0.0,"size_x_mm":0.9,"size_y_mm":0.95,"kind":"chip"}],"body_conductivity_w_mk":4.0,"shell_share":0.5,"density_g_cm3":4.5,"has_pin_1":false,"heat_shy":false,"guessed":false,"iron_only":false,"moisture":"","polarity":""},"joined":true,"note":"","in_holes":0},{"ref":"C1","value":"100n","footprint":"0603","x_mm":10.0,"y_mm":14.0,"rotation_deg":0.0,"side":"top","package":{"name":"0603 (metric 1608)","family":"chip","body_x_mm":1.6,"body_y_mm":0.8,"height_mm":0.6,"gap_mm":0.03,"volumetric_heat_mj_m3k":3.0,"lead_w_k":0.02,"tab_w_k":0.5,"limit_c":270.0,"limit_why":"ceramic chip","lands":[{"pin":"1","x_mm":-0.8499999999999996,"y_mm":0.0,"size_x_mm":0.9,"size_y_mm":0.95,"kind":"chip"},{"pin":"2","x_mm":0.8499999999999996,"y_mm":0.0,"size_x_mm":0.9,"size_y_mm":0.95,"kind":"chip"}],"body_conductivity_w_mk":4.0,"shell_share":0.5,"density_g_cm3":4.5,"has_pin_1":false,"heat_shy":false,"guessed":false,"iron_only":false,"moisture":"","polarity":""},"joined":true,"note":"","in_holes":0}],"layers":[{"file":"edge.gbr","role":"outline","why":"its file attribute says so","facts":"4 strokes","unit":"mm","extent_mm":[0.0,0.0,20.0,20.0],"problem":""},{"file":"copper.gbr","role":"copper top","why":"its file attribute says so","facts":"4 flashes","unit":"mm","extent_mm":[9.15,10.0,10.85,14.0],"problem":""},{"file":"mask.gbr","role":"mask top","why":"its file attribute says so","facts":"4 flashes","unit":"mm","extent_mm":[9.15,10.0,10.85,14.0],"problem":""},{"file":"paste.gbr","role":"paste top","why":"its file attribute says so","facts":"4 flashes","unit":"mm","extent_mm":[9.15,10.0,10.85,14.0],"problem":""},{"file":"place.csv","role":"placement","why":"a table with reference, x and y","facts":"","unit":"","extent_mm":null,"problem":""}],"findings":[],"paste_openings":{"top":4,"bottom":0},"paste_area_mm2":{"top":3.42,"bottom":0.0},"drawings":{"copper top":[{"path":"M870 952 870 1048 960 1048 960 952ZM1040 952 1040 1048 1130 1048 1130 952ZM870 1352 870 1448 960 1448 960 1352ZM1040 1352 1040 1448 1130 1448 1130 1352Z","width_mm":0.0,"clear":false}],"copper bottom":[],"legend top":[],"legend bottom":[]},"origin":[0.0,0.0],"proposals":[],"printed_marks":{},"openings":[{"side":"top","ring":[[9.6,9.525],[9.6,10.475],[8.7,10.475],[8.7,9.525]],"area_mm2":0.855,"perimeter_mm":3.7,"size_x_mm":0.9,"size_y_mm":0.95,"angle_deg":0.0,"pad":0,"inner":[]},{"side":"top","ring":[[11.3,9.525],[11.3,10.475],[10.4,10.475],[10.4,9.525]],"area_mm2":0.855,"perimeter_mm":3.7,"size_x_mm":0.9,"size_y_mm":0.95,"angle_deg":0.0,"pad":1,"inner":[]},{"side":"top","ring":[[9.6,13.525],[9.6,14.475],[8.7,14.475],[8.7,13.525]],"area_mm2":0.855,"perimeter_mm":3.7,"size_x_mm":0.9,"size_y_mm":0.95,"angle_deg":0.0,"pad":2,"inner":[]},{"side":"top","ring":[[11.3,13.525],[11.3,14.475],[10.4,14.475],[10.4,13.525]],"area_mm2":0.855,"perimeter_mm":3.7,"size_x_mm":0.9,"size_y_mm":0.95,"angle_deg":0.0,"pad":3,"inner":[]}]}','{"roles":{},"shift":null,"turns":{},"parts":{"R1":{"name":"","value":"2k2","footprint":"","turn_deg":0.0,"left_out":false}},"together":{},"openings_from_pads":false}',NULL,NULL,0,NULL);
INSERT INTO "board" VALUES(2,'Awkward','2026-12-02 05:45:48','{"name":"Awkward","width_mm":20.0,"height_mm":20.0,"thickness_mm":0.8,"outline":[[[0.0,0.0],[0.0,20.0],[20.0,20.0],[20.0,0.0]]],"pads":[{"side":"top","x_mm":9.15,"y_mm":10.0,"size_x_mm":0.9,"size_y_mm":0.95,"angle_deg":0.0,"area_mm2":0.855,"paste_mm2":0.855,"ring":[[9.6,9.525],[9.6,10.475],[8.7,10.475],[8.7,9.525]],"ref":"R1","pin":"1","net":"net 1","tie":""},{"side":"top","x_mm":10.85,"y_mm":10.0,"size_x_mm":0.9,"size_y_mm":0.95,"angle_deg":0.0,"area_mm2":0.855,"paste_mm2":0.855,"ring":[[11.3,9.525],[11.3,10.475],[10.4,10.475],[10.4,9.525]],"ref":"R1","pin":"2","net":"net 2","tie":""},{"side":"top","x_mm":9.15,"y_mm":14.0,"size_x_mm":0.9,"size_y_mm":0.95,"angle_deg":0.0,"area_mm2":0.855,"paste_mm2":0.855,"ring":[[9.6,13.525],[9.6,14.475],[8.7,14.475],[8.7,13.525]],"ref":"C1","pin":"1","net":"net 3","tie":""},{"side":"top","x_mm":10.85,"y_mm":14.0,"size_x_mm":0.9,"size_y_mm":0.95,"angle_deg":0.0,"area_mm2":0.855,"paste_mm2":0.855,"ring":[[11.3,13.525],[11.3,14.475],[10.4,14.475],[10.4,13.525]],"ref":"C1","pin":"2","net":"net 4","tie":""}],"holes":[],"copper":[{"layer":"top","depth":0.0,"thickness_um":35.0,"cell_mm":0.5,"coverage":[[0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0],[0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0],[0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0],[0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0],[0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0],[0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0],[0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0],[0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0],[0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0],[0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0],[0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0],[0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0],[0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0],[0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0],[0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0],[0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0],[0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0],[0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0],[0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0],[0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.552,0.92,0.184,0.184,0.92,0.552,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0],[0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.576,0.96,0.192,0.192,0.96,0.576,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0],[0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0],[0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0],[0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0],[0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0],[0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0],[0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0],[0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.576,0.96,0.192,0.192,0.96,0.576,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0],[0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.552,0.92,0.184,0.184,0.92,0.552,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0],[0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0],[0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0],[0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0],[0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0],[0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0],[0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0],[0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0],[0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0],[0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0],[0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0],[0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0,0.0]],"area_mm2":3.384,"links":["eJxjYBgFo2CEAZ4vpgymX3gIKvsNVPaboLKRA4gMECKDdxQMYgAA2hMJxQ==","eJxjYBgFo2AYA2k5YWE5acLqjv0vKvp/jLA6OUUxMUU5yt01VACx/iU2/IiNj1EwoAAAmd0LYQ=="]}],"parts":[{"ref":"R1","value":"2k2","footprint":"0603","x_mm":10.0,"y_mm":10.0,"rotation_deg":0.0,"side":"top","package":{"name":"0603 (metric 1608)","family":"chip","body_x_mm":1.6,"body_y_mm":0.8,"height_mm":0.6,"gap_mm":0.03,"volumetric_heat_mj_m3k":3.0,"lead_w_k":0.02,"tab_w_k":0.5,"limit_c":270.0,"limit_why":"ceramic chip","lands":[{"pin":"1","x_mm":-0.8499999999999996,"y_mm":0.0,"size_x_mm":0.9,"size_y_mm":0.95,"kind":"chip"},{"pin":"2","x_mm":0.8499999999999996,"y_mm":0.0,"size_x_mm":0.9,"size_y_mm":0.95,"kind":"chip"}],"body_conductivity_w_mk":4.0,"shell_share":0.5,"density_g_cm3":4.5,"has_pin_1":false,"heat_shy":false,"guessed":false,"iron_only":false,"moisture":"","polarity":""},"joined":true,"note":"","in_holes":0},{"ref":"C1","value":"100n","footprint":"0603","x_mm":10.0,"y_mm":14.0,"rotation_deg":0.0,"side":"top","package":{"name":"0603 (metric 1608)","family":"chip","body_x_mm":1.6,"body_y_mm":0.8,"height_mm":0.6,"gap_mm":0.03,"volumetric_heat_mj_m3k":3.0,"lead_w_k":0.02,"tab_w_k":0.5,"limit_c":270.0,"limit_why":"ceramic chip","lands":[{"pin":"1","x_mm":-0.8499999999999996,"y_mm":0.0,"size_x_mm":0.9,"size_y_mm":0.95,"kind":"chip"},{"pin":"2","x_mm":0.8499999999999996,"y_mm":0.0,"size_x_mm":0.9,"size_y_mm":0.95,"kind":"chip"}],"body_conductivity_w_mk":4.0,"shell_share":0.5,"density_g_cm3":4.5,"has_pin_1":false,"heat_shy":false,"guessed":false,"iron_only":false,"moisture":"","polarity":""},"joined":true,"note":"","in_holes":0}],"layers":[{"file":"edge.gbr","role":"outline","why":"its file attribute says so","facts":"4 strokes","unit":"mm","extent_mm":[0.0,0.0,20.0,20.0],"problem":""},{"file":"copper.gbr","role":"copper top","why":"its file attribute says so","facts":"4 flashes","unit":"mm","extent_mm":[9.15,10.0,10.85,14.0],"problem":""},{"file":"paste.gbr","role":"paste top","why":"its file attribute says so","facts":"4 flashes","unit":"mm","extent_mm":[9.15,10.0,10.85,14.0],"problem":""},{"file":"place.csv","role":"placement","why":"a table with reference, x and y","facts":"","unit":"","extent_mm":null,"problem":""},{"file":"mask²top.gbr","role":"mask top","why":"its file attribute says so","facts":"4 flashes","unit":"mm","extent_mm":[9.15,10.0,10.85,14.0],"problem":""},{"file":"more.csv","role":"bill of materials","why":"a table of references without places","facts":"","unit":"","extent_mm":null,"problem":""},{"file":"nets.ipc","role":"netlist","why":"an IPC-D-356 netlist","facts":"","unit":"","extent_mm":null,"problem":""}],"findings":[{"about":"place.csv","sentence":"line 4, column 4: x ''1e308'' lies beyond any board; correct the cell or its unit (row left out)"}],"paste_openings":{"top":4,"bottom":0},"paste_area_mm2":{"top":3.42,"bottom":0.0},"drawings":{"copper top":[{"path":"M870 952 870 1048 960 1048 960 952ZM1040 952 1040 1048 1130 1048 1130 952ZM870 1352 870 1448 960 1448 960 1352ZM1040 1352 1040 1448 1130 1448 1130 1352Z","width_mm":0.0,"clear":false}],"copper bottom":[],"legend top":[],"legend bottom":[]},"origin":[0.0,0.0],"proposals":[],"printed_marks":{},"openings":[{"side":"top","ring":[[9.6,9.525],[9.6,10.475],[8.7,10.475],[8.7,9.525]],"area_mm2":0.855,"perimeter_mm":3.7,"size_x_mm":0.9,"size_y_mm":0.95,"angle_deg":0.0,"pad":0,"inner":[]},{"side":"top","ring":[[11.3,9.525],[11.3,10.475],[10.4,10.475],[10.4,9.525]],"area_mm2":0.855,"perimeter_mm":3.7,"size_x_mm":0.9,"size_y_mm":0.95,"angle_deg":0.0,"pad":1,"inner":[]},{"side":"top","ring":[[9.6,13.525],[9.6,14.475],[8.7,14.475],[8.7,13.525]],"area_mm2":0.855,"perimeter_mm":3.7,"size_x_mm":0.9,"size_y_mm":0.95,"angle_deg":0.0,"pad":2,"inner":[]},{"side":"top","ring":[[11.3,13.525],[11.3,14.475],[10.4,14.475],[10.4,13.525]],"area_mm2":0.855,"perimeter_mm":3.7,"size_x_mm":0.9,"size_y_mm":0.95,"angle_deg":0.0,"pad":3,"inner":[]}]}','{"roles":{},"shift":null,"turns":{},"parts":{"R1":{"name":"","value":"2k2","footprint":"","turn_deg":0.0,"left_out":false}},"together":{},"openings_from_pads":false}',NULL,NULL,0,NULL);
CREATE TABLE board_file (
    board_id INTEGER NOT NULL REFERENCES board (id) ON DELETE CASCADE,
    name TEXT NOT NULL,
    bytes BLOB NOT NULL,
    PRIMARY KEY (board_id, name)
) STRICT;
INSERT INTO "board_file" VALUES(1,'edge.gbr',X'2546534C415834365934362A250A254D4F4D4D2A250A2554462E46696C6546756E6374696F6E2C50726F66696C652C4E502A250A254144443130432C302E312A250A4431302A0A583059304430322A0A58323030303030303059304430312A0A5832303030303030305932303030303030304430312A0A58305932303030303030304430312A0A583059304430312A0A4D30322A0A');
INSERT INTO "board_file" VALUES(1,'copper.gbr',X'2546534C415834365934362A250A254D4F4D4D2A250A2554462E46696C6546756E6374696F6E2C436F707065722C4C312C546F702A250A254144443131522C302E3958302E39352A250A4431312A0A58393135303030305931303030303030304430332A0A5831303835303030305931303030303030304430332A0A58393135303030305931343030303030304430332A0A5831303835303030305931343030303030304430332A0A4D30322A0A');
INSERT INTO "board_file" VALUES(1,'mask.gbr',X'2546534C415834365934362A250A254D4F4D4D2A250A2554462E46696C6546756E6374696F6E2C536F6C6465726D61736B2C546F702A250A254144443131522C302E3958302E39352A250A4431312A0A58393135303030305931303030303030304430332A0A5831303835303030305931303030303030304430332A0A58393135303030305931343030303030304430332A0A5831303835303030305931343030303030304430332A0A4D30322A0A');
INSERT INTO "board_file" VALUES(1,'paste.gbr',X'2546534C415834365934362A250A254D4F4D4D2A250A2554462E46696C6546756E6374696F6E2C50617374652C546F702A250A254144443131522C302E3958302E39352A250A4431312A0A58393135303030305931303030303030304430332A0A5831303835303030305931303030303030304430332A0A58393135303030305931343030303030304430332A0A5831303835303030305931343030303030304430332A0A4D30322A0A');
INSERT INTO "board_file" VALUES(1,'place.csv',X'5265662C56616C75652C5061636B6167652C582C592C526F746174696F6E2C536964650A52312C316B2C303630332C31302C31302C302C746F700A43312C3130306E2C303630332C31302C31342C302C746F700A');
INSERT INTO "board_file" VALUES(2,'edge.gbr',X'2546534C415834365934362A250A254D4F4D4D2A250A2554462E46696C6546756E6374696F6E2C50726F66696C652C4E502A250A254144443130432C302E312A250A4431302A0A583059304430322A0A58323030303030303059304430312A0A5832303030303030305932303030303030304430312A0A58305932303030303030304430312A0A583059304430312A0A4D30322A0A');
INSERT INTO "board_file" VALUES(2,'copper.gbr',X'2546534C415834365934362A250A254D4F4D4D2A250A2554462E46696C6546756E6374696F6E2C436F707065722C4C312C546F702A250A254144443131522C302E3958302E39352A250A4431312A0A58393135303030305931303030303030304430332A0A5831303835303030305931303030303030304430332A0A58393135303030305931343030303030304430332A0A5831303835303030305931343030303030304430332A0A4D30322A0A');
INSERT INTO "board_file" VALUES(2,'paste.gbr',X'2546534C415834365934362A250A254D4F4D4D2A250A2554462E46696C6546756E6374696F6E2C50617374652C546F702A250A254144443131522C302E3958302E39352A250A4431312A0A58393135303030305931303030303030304430332A0A5831303835303030305931303030303030304430332A0A58393135303030305931343030303030304430332A0A5831303835303030305931343030303030304430332A0A4D30322A0A');
INSERT INTO "board_file" VALUES(2,'place.csv',X'5265662C56616C75652C5061636B6167652C582C592C526F746174696F6E2C536964650A52312C316B2C303630332C31302C31302C302C746F700A43312C3130306E2C303630332C31302C31342C302C746F700A52392C31653330382C303630332C31653330382C312C6E616E2C746F700A');
INSERT INTO "board_file" VALUES(2,'mask²top.gbr',X'2546534C415834365934362A250A254D4F4D4D2A250A2554462E46696C6546756E6374696F6E2C536F6C6465726D61736B2C546F702A250A254144443131522C302E3958302E39352A250A4431312A0A58393135303030305931303030303030304430332A0A5831303835303030305931303030303030304430332A0A58393135303030305931343030303030304430332A0A5831303835303030305931343030303030304430332A0A4D30322A0A');
INSERT INTO "board_file" VALUES(2,'more.csv',X'2320756E697420202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020202020780A5265662C56616C75652C5061636B6167650A52312C316B2C303630330A');
INSERT INTO "board_file" VALUES(2,'nets.ipc',X'4320204950432D442D3335360A502020554E495453204355535420300A3331374E312020202020202020202020202020205231202020202D31202020443009303050413030582B30313030592B30313030583036303059303630305230303053300A3331374EC2B220202020202020202020202020204331202020202D31202020413031582B30313030592B30313030583036303059303630305230303053300A3939390A');
CREATE TABLE "board_import" (
    work_id INTEGER PRIMARY KEY REFERENCES work (id) ON DELETE CASCADE,
    name TEXT NOT NULL,
    thickness_mm REAL NOT NULL CHECK (thickness_mm BETWEEN 0.2 AND 5),
    revision_of INTEGER REFERENCES board (id) ON DELETE CASCADE,
    done_steps INTEGER NOT NULL DEFAULT 0,
    all_steps INTEGER NOT NULL DEFAULT 1 CHECK (all_steps >= 1),
    board_id INTEGER REFERENCES board (id) ON DELETE SET NULL,
    guesses TEXT NOT NULL DEFAULT '[]' CHECK (json_valid(guesses)),
    choices TEXT NOT NULL DEFAULT '{}' CHECK (json_valid(choices))
) STRICT;
CREATE TABLE "board_import_file" (
    work_id INTEGER NOT NULL REFERENCES "board_import" (work_id) ON DELETE CASCADE,
    name TEXT NOT NULL,
    bytes BLOB NOT NULL,
    PRIMARY KEY (work_id, name)
) STRICT;
CREATE TABLE board_picture (
    board_id INTEGER PRIMARY KEY REFERENCES board (id) ON DELETE CASCADE,
    kind TEXT NOT NULL CHECK (kind IN ('image/png', 'image/jpeg', 'image/webp')),
    bytes BLOB NOT NULL
) STRICT;
CREATE TABLE board_proof (
    board_id INTEGER PRIMARY KEY REFERENCES board (id) ON DELETE CASCADE,
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
CREATE TABLE footprint_meaning (
    footprint TEXT PRIMARY KEY,
    package TEXT NOT NULL CHECK (length(package) BETWEEN 1 AND 120)
) STRICT;
CREATE TABLE heading_choice (
    heading TEXT PRIMARY KEY,
    columns TEXT NOT NULL CHECK (json_valid(columns))
) STRICT;
CREATE TABLE heat (
    id INTEGER PRIMARY KEY,
    job_id INTEGER NOT NULL REFERENCES job (id) ON DELETE CASCADE,
    name TEXT NOT NULL DEFAULT '' CHECK (length(name) <= 80),
    plan TEXT NOT NULL CHECK (json_valid(plan))
) STRICT;
INSERT INTO "heat" VALUES(1,1,'','{"alloy":"Sn63Pb37","station_id":null,"air":{"nozzle_mm":6.0,"outlet_c":350.0,"flow_lpm":30.0,"nozzle_long_mm":null,"nozzle_turn_deg":0.0},"outlet_offset_c":0.0,"underside":"insulating","ambient_c":23.0,"targets":[],"moves":[{"deed":"warm","seconds":25.0,"over":["?"],"height_mm":60.0,"circle_mm":10.0,"circle_s":2.0,"path":"circle","along_deg":0.0,"tilt_deg":0.0,"tilt_to_deg":0.0,"pin":"","from_s":0.0,"aside_mm":0.0,"across_mm":0.0,"awaits":[]},{"deed":"close","seconds":40.0,"over":["?"],"height_mm":15.0,"circle_mm":4.0,"circle_s":2.0,"path":"circle","along_deg":0.0,"tilt_deg":0.0,"tilt_to_deg":0.0,"pin":"","from_s":0.0,"aside_mm":0.0,"across_mm":0.0,"awaits":[]},{"deed":"withdraw","seconds":45.0,"over":[],"height_mm":20.0,"circle_mm":0.0,"circle_s":2.0,"path":"circle","along_deg":0.0,"tilt_deg":0.0,"tilt_to_deg":0.0,"pin":"","from_s":0.0,"aside_mm":0.0,"across_mm":0.0,"awaits":[]}],"source":"air","plate":{"set_c":230.0,"film_mm":0.15,"warp_mm":0.0,"control":"steady","band_k":30.0,"power_w":800.0,"plate_heat_j_k":500.0,"loss_w_k":1.2,"start_c":null,"bare_metal":false},"oven":{"curve":[[0.0,25.0,25.0],[90.0,140.0,150.0],[180.0,165.0,175.0],[250.0,225.0,245.0],[280.0,225.0,245.0],[400.0,70.0,80.0]],"fan_w_m2k":12.0},"tool_id":null,"preheater":null,"shields":[],"shield_kind":"foil","board_alloy":null,"core":"fr4","side":"top","bare_below":false,"absent":[],"goal":"solder","held":"free"}');
INSERT INTO "heat" VALUES(2,2,'','{"alloy":"Sn63Pb37","station_id":null,"air":{"nozzle_mm":6.0,"outlet_c":350.0,"flow_lpm":30.0,"nozzle_long_mm":null,"nozzle_turn_deg":0.0},"outlet_offset_c":0.0,"underside":"insulating","ambient_c":23.0,"targets":[],"moves":[{"deed":"warm","seconds":25.0,"over":["?"],"height_mm":60.0,"circle_mm":10.0,"circle_s":2.0,"path":"circle","along_deg":0.0,"tilt_deg":0.0,"tilt_to_deg":0.0,"pin":"","from_s":0.0,"aside_mm":0.0,"across_mm":0.0,"awaits":[]},{"deed":"close","seconds":40.0,"over":["?"],"height_mm":15.0,"circle_mm":4.0,"circle_s":2.0,"path":"circle","along_deg":0.0,"tilt_deg":0.0,"tilt_to_deg":0.0,"pin":"","from_s":0.0,"aside_mm":0.0,"across_mm":0.0,"awaits":[]},{"deed":"withdraw","seconds":45.0,"over":[],"height_mm":20.0,"circle_mm":0.0,"circle_s":2.0,"path":"circle","along_deg":0.0,"tilt_deg":0.0,"tilt_to_deg":0.0,"pin":"","from_s":0.0,"aside_mm":0.0,"across_mm":0.0,"awaits":[]}],"source":"air","plate":{"set_c":230.0,"film_mm":0.15,"warp_mm":0.0,"control":"steady","band_k":30.0,"power_w":800.0,"plate_heat_j_k":500.0,"loss_w_k":1.2,"start_c":null,"bare_metal":false},"oven":{"curve":[[0.0,25.0,25.0],[90.0,140.0,150.0],[180.0,165.0,175.0],[250.0,225.0,245.0],[280.0,225.0,245.0],[400.0,70.0,80.0]],"fan_w_m2k":12.0},"tool_id":null,"preheater":null,"shields":[],"shield_kind":"foil","board_alloy":null,"core":"fr4","side":"top","bare_below":false,"absent":[],"goal":"solder","held":"free"}');
CREATE TABLE job (
    id INTEGER PRIMARY KEY,
    board_id INTEGER NOT NULL REFERENCES board (id) ON DELETE CASCADE,
    name TEXT NOT NULL CHECK (length(name) BETWEEN 1 AND 120),
    created_at TEXT NOT NULL,
    purpose TEXT NOT NULL DEFAULT 'build' CHECK (length(purpose) BETWEEN 1 AND 20), parts TEXT NOT NULL DEFAULT '[]' CHECK (json_valid(parts)), heat_id INTEGER REFERENCES heat (id) ON DELETE SET NULL, removed_at TEXT, piece_id INTEGER REFERENCES piece (id) ON DELETE SET NULL, boards INTEGER NOT NULL DEFAULT 1 CHECK (boards BETWEEN 1 AND 10000), grade INTEGER NOT NULL DEFAULT 2 CHECK (grade BETWEEN 1 AND 3), room_c REAL CHECK (room_c IS NULL OR room_c BETWEEN -10 AND 60), all_alike INTEGER NOT NULL DEFAULT 0 CHECK (all_alike IN (0, 1))) STRICT;
INSERT INTO "job" VALUES(1,1,'Build Ordinary','2026-12-02 05:45:48','build','[]',1,NULL,NULL,1,2,23.0,0);
INSERT INTO "job" VALUES(2,2,'Build Awkward','2026-12-02 05:45:49','build','[]',2,NULL,NULL,1,2,23.0,0);
CREATE TABLE job_cleaning (
    job_id INTEGER PRIMARY KEY REFERENCES job (id) ON DELETE CASCADE,
    content TEXT NOT NULL CHECK (json_valid(content))
) STRICT;
CREATE TABLE job_piece (
    job_id INTEGER NOT NULL REFERENCES job (id) ON DELETE CASCADE,
    piece_id INTEGER NOT NULL REFERENCES piece (id) ON DELETE CASCADE,
    PRIMARY KEY (job_id, piece_id)
) STRICT;
CREATE TABLE kit_place (
    line TEXT PRIMARY KEY CHECK (length(line) BETWEEN 1 AND 300),
    place TEXT NOT NULL CHECK (length(place) <= 80)
) STRICT;
CREATE TABLE lot_event (
    id INTEGER PRIMARY KEY,
    lot_id INTEGER NOT NULL REFERENCES paste_lot (id) ON DELETE CASCADE,
    kind TEXT NOT NULL CHECK (kind IN ('out of the cold', 'back in the cold', 'opened', 'used', 'empty')),
    at_s REAL NOT NULL,
    grams REAL NOT NULL DEFAULT 0 CHECK (grams BETWEEN 0 AND 5000),
    said TEXT NOT NULL DEFAULT ''
) STRICT;
CREATE TABLE migration (name TEXT PRIMARY KEY, at TEXT NOT NULL) STRICT;
INSERT INTO "migration" VALUES('0001_first.sql','2026-12-02 05:45:43');
INSERT INTO "migration" VALUES('0002_heat_tools.sql','2026-12-02 05:45:43');
INSERT INTO "migration" VALUES('0003_long_nozzle.sql','2026-12-02 05:45:43');
INSERT INTO "migration" VALUES('0004_boards.sql','2026-12-02 05:45:43');
INSERT INTO "migration" VALUES('0005_paste.sql','2026-12-02 05:45:43');
INSERT INTO "migration" VALUES('0006_ready_and_place.sql','2026-12-02 05:45:43');
INSERT INTO "migration" VALUES('0007_schools_of_the_bench.sql','2026-12-02 05:45:43');
INSERT INTO "migration" VALUES('0008_copper_as_drawn.sql','2026-12-02 05:45:43');
INSERT INTO "migration" VALUES('0009_air_by_its_dial.sql','2026-12-02 05:45:43');
INSERT INTO "migration" VALUES('0010_one_bench_run.sql','2026-12-02 05:45:43');
INSERT INTO "migration" VALUES('0011_jobs_heats_pieces.sql','2026-12-02 05:45:43');
INSERT INTO "migration" VALUES('0012_leases.sql','2026-12-02 05:45:43');
INSERT INTO "migration" VALUES('0013_runs_put_away.sql','2026-12-02 05:45:43');
INSERT INTO "migration" VALUES('0014_number_of_boards.sql','2026-12-02 05:45:43');
INSERT INTO "migration" VALUES('0015_tours.sql','2026-12-02 05:45:43');
INSERT INTO "migration" VALUES('0016_rework.sql','2026-12-02 05:45:43');
INSERT INTO "migration" VALUES('0017_pictures_and_proof.sql','2026-12-02 05:45:43');
INSERT INTO "migration" VALUES('0018_read_apart.sql','2026-12-02 05:45:43');
INSERT INTO "migration" VALUES('0019_one_room.sql','2026-12-02 05:45:43');
INSERT INTO "migration" VALUES('0020_long_work.sql','2026-12-02 05:45:43');
INSERT INTO "migration" VALUES('0021_looks.sql','2026-12-02 05:45:43');
INSERT INTO "migration" VALUES('0022_slanted_below.sql','2026-12-02 05:45:43');
INSERT INTO "migration" VALUES('0023_prints_by_key.sql','2026-12-02 05:45:43');
INSERT INTO "migration" VALUES('0024_rich_pours.sql','2026-12-02 05:45:43');
INSERT INTO "migration" VALUES('0025_removed_on_purpose.sql','2026-12-02 05:45:43');
INSERT INTO "migration" VALUES('0026_board_on_the_bench.sql','2026-12-02 05:45:43');
INSERT INTO "migration" VALUES('0027_station_air.sql','2026-12-02 05:45:43');
CREATE TABLE opening_step (
    id INTEGER PRIMARY KEY,
    job_id INTEGER NOT NULL REFERENCES job (id) ON DELETE CASCADE,
    made_at TEXT NOT NULL,
    content TEXT NOT NULL CHECK (json_valid(content))
) STRICT;
CREATE TABLE own_package (
    name TEXT PRIMARY KEY CHECK (length(name) BETWEEN 1 AND 80),
    content TEXT NOT NULL CHECK (json_valid(content))
) STRICT;
CREATE TABLE passport (
    id INTEGER PRIMARY KEY,
    job_id INTEGER REFERENCES job (id) ON DELETE SET NULL,
    piece_id INTEGER REFERENCES piece (id) ON DELETE SET NULL,
    made_at TEXT NOT NULL,
    content TEXT NOT NULL CHECK (json_valid(content)),
    used_at TEXT,
    removed_at TEXT
, run_id INTEGER) STRICT;
CREATE TABLE paste_lot (
    id INTEGER PRIMARY KEY,
    name TEXT NOT NULL UNIQUE CHECK (length(name) BETWEEN 1 AND 60),
    paste TEXT NOT NULL CHECK (json_valid(paste)),
    container TEXT NOT NULL CHECK (container IN ('jar', 'syringe', 'cartridge')),
    grams REAL NOT NULL CHECK (grams BETWEEN 0.5 AND 5000),
    bought_s REAL NOT NULL,
    expires_s REAL
) STRICT;
CREATE TABLE paste_plan (
    job_id INTEGER PRIMARY KEY REFERENCES job (id) ON DELETE CASCADE,
    content TEXT NOT NULL CHECK (json_valid(content))
) STRICT;
CREATE TABLE paste_supply (
    kind TEXT NOT NULL CHECK (kind IN ('needle', 'foil')),
    size REAL NOT NULL CHECK (size > 0),
    PRIMARY KEY (kind, size)
) STRICT;
CREATE TABLE picture (
    id INTEGER PRIMARY KEY,
    job_id INTEGER NOT NULL REFERENCES job (id) ON DELETE CASCADE,
    piece_id INTEGER REFERENCES piece (id) ON DELETE SET NULL,
    made_at TEXT NOT NULL,
    width INTEGER NOT NULL CHECK (width > 0),
    height INTEGER NOT NULL CHECK (height > 0),
    jpeg BLOB NOT NULL,
    work TEXT NOT NULL CHECK (json_valid(work)),
    removed_at TEXT
) STRICT;
CREATE TABLE piece (
    id INTEGER PRIMARY KEY,
    board_id INTEGER NOT NULL REFERENCES board (id) ON DELETE CASCADE,
    name TEXT NOT NULL CHECK (length(name) BETWEEN 1 AND 40),
    made_at TEXT NOT NULL,
    UNIQUE (board_id, name)
) STRICT;
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
, tap TEXT NOT NULL DEFAULT '' CHECK (length(tap) <= 100)) STRICT;
CREATE TABLE ready_plan (
    job_id INTEGER PRIMARY KEY REFERENCES job (id) ON DELETE CASCADE,
    content TEXT NOT NULL CHECK (json_valid(content))
) STRICT;
CREATE TABLE removed_on_purpose (
    what TEXT PRIMARY KEY,
    number INTEGER NOT NULL DEFAULT 0 CHECK (number >= 0)
) STRICT;
INSERT INTO "removed_on_purpose" VALUES('board',0);
INSERT INTO "removed_on_purpose" VALUES('job',0);
INSERT INTO "removed_on_purpose" VALUES('bench_run',0);
INSERT INTO "removed_on_purpose" VALUES('bench_tap',0);
INSERT INTO "removed_on_purpose" VALUES('picture',0);
INSERT INTO "removed_on_purpose" VALUES('passport',0);
INSERT INTO "removed_on_purpose" VALUES('station',0);
INSERT INTO "removed_on_purpose" VALUES('paste_lot',0);
CREATE TABLE run_course (
    run_id INTEGER PRIMARY KEY REFERENCES bench_run (id) ON DELETE CASCADE,
    content TEXT NOT NULL CHECK (json_valid(content))
) STRICT;
CREATE TABLE schedule_done (
    job_id INTEGER NOT NULL REFERENCES job (id) ON DELETE CASCADE,
    task TEXT NOT NULL CHECK (length(task) BETWEEN 1 AND 80),
    start_s REAL NOT NULL,
    end_s REAL NOT NULL CHECK (end_s >= start_s),
    PRIMARY KEY (job_id, task)
) STRICT;
CREATE TABLE station (
    id INTEGER PRIMARY KEY,
    name TEXT NOT NULL UNIQUE CHECK (length(name) BETWEEN 1 AND 60),
    outlet_label TEXT NOT NULL,
    flow_label TEXT NOT NULL,
    outlet_offset_c REAL NOT NULL CHECK (outlet_offset_c BETWEEN -150 AND 150)
, air_share REAL CHECK (air_share IS NULL OR air_share BETWEEN 0.01 AND 1), air_max_lpm REAL CHECK (air_max_lpm IS NULL OR air_max_lpm BETWEEN 1 AND 400), air_unknown INTEGER NOT NULL DEFAULT 0 CHECK (air_unknown IN (0, 1)), outlet_unknown INTEGER NOT NULL DEFAULT 0 CHECK (outlet_unknown IN (0, 1)), air TEXT NOT NULL DEFAULT '{}' CHECK (json_valid(air))) STRICT;
CREATE TABLE survey (
    job_id INTEGER NOT NULL REFERENCES job (id) ON DELETE CASCADE,
    piece_id INTEGER NOT NULL DEFAULT 0,
    content TEXT NOT NULL CHECK (json_valid(content)),
    PRIMARY KEY (job_id, piece_id)
) STRICT;
CREATE TABLE tool (
    id INTEGER PRIMARY KEY,
    kind TEXT NOT NULL CHECK (kind IN ('plate', 'oven', 'preheater', 'iron')),
    name TEXT NOT NULL UNIQUE CHECK (length(name) BETWEEN 1 AND 60),
    content TEXT NOT NULL CHECK (json_valid(content))
) STRICT;
CREATE TABLE weighing (
    id INTEGER PRIMARY KEY,
    job_id INTEGER NOT NULL REFERENCES job (id) ON DELETE CASCADE,
    made_at TEXT NOT NULL,
    foil_um INTEGER NOT NULL CHECK (foil_um BETWEEN 30 AND 500),
    paste TEXT NOT NULL,
    content TEXT NOT NULL CHECK (json_valid(content))
) STRICT;
CREATE TABLE work (
    id INTEGER PRIMARY KEY,
    kind TEXT NOT NULL CHECK (length(kind) BETWEEN 1 AND 40),
    job_id INTEGER REFERENCES job (id) ON DELETE CASCADE,
    board_id INTEGER REFERENCES board (id) ON DELETE CASCADE,
    asked TEXT NOT NULL DEFAULT '{}' CHECK (json_valid(asked)),
    state TEXT NOT NULL DEFAULT 'waiting' CHECK (state IN ('waiting', 'working', 'done', 'cancelled', 'failed')),
    said TEXT NOT NULL DEFAULT '',
    asked_at TEXT NOT NULL,
    owner TEXT NOT NULL DEFAULT '',
    tries INTEGER NOT NULL DEFAULT 0
) STRICT;
CREATE TABLE work_step (
    work_id INTEGER NOT NULL REFERENCES work (id) ON DELETE CASCADE,
    place INTEGER NOT NULL,
    content TEXT NOT NULL CHECK (json_valid(content)),
    PRIMARY KEY (work_id, place)
) STRICT;
CREATE INDEX job_by_board ON job (board_id);
CREATE INDEX calibration_by_station ON calibration (station_id);
CREATE INDEX calibration_by_tool ON calibration (tool_id);
CREATE INDEX opening_step_by_job ON opening_step (job_id);
CREATE INDEX weighing_by_foil ON weighing (foil_um, paste);
CREATE INDEX printed_by_job ON printed (job_id);
CREATE INDEX lot_event_by_lot ON lot_event (lot_id);
CREATE INDEX bench_run_by_job ON bench_run (job_id, kind);
CREATE INDEX bench_tap_by_run ON bench_tap (run_id);
CREATE INDEX heat_by_job ON heat (job_id);
CREATE INDEX passport_by_job ON passport (job_id);
CREATE INDEX picture_by_job ON picture (job_id);
CREATE INDEX work_by_job ON work (job_id);
CREATE INDEX bench_run_by_looks_at ON bench_run (looks_at);
CREATE TRIGGER board_removed AFTER DELETE ON board BEGIN
    UPDATE removed_on_purpose SET number = number + 1 WHERE what = 'board';
END;
CREATE TRIGGER job_removed AFTER DELETE ON job BEGIN
    UPDATE removed_on_purpose SET number = number + 1 WHERE what = 'job';
END;
CREATE TRIGGER bench_run_removed AFTER DELETE ON bench_run BEGIN
    UPDATE removed_on_purpose SET number = number + 1 WHERE what = 'bench_run';
END;
CREATE TRIGGER bench_tap_removed AFTER DELETE ON bench_tap BEGIN
    UPDATE removed_on_purpose SET number = number + 1 WHERE what = 'bench_tap';
END;
CREATE TRIGGER picture_removed AFTER DELETE ON picture BEGIN
    UPDATE removed_on_purpose SET number = number + 1 WHERE what = 'picture';
END;
CREATE TRIGGER passport_removed AFTER DELETE ON passport BEGIN
    UPDATE removed_on_purpose SET number = number + 1 WHERE what = 'passport';
END;
CREATE TRIGGER station_removed AFTER DELETE ON station BEGIN
    UPDATE removed_on_purpose SET number = number + 1 WHERE what = 'station';
END;
CREATE TRIGGER paste_lot_removed AFTER DELETE ON paste_lot BEGIN
    UPDATE removed_on_purpose SET number = number + 1 WHERE what = 'paste_lot';
END;
CREATE INDEX bench_run_by_piece ON bench_run (piece_id);
COMMIT;
