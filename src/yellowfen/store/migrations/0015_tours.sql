-- Long work of any kind (a tour is one); what a run's forecast was read off is kept beside it, so that taps can weigh it.
CREATE TABLE task_anew (
    id INTEGER PRIMARY KEY,
    job_id INTEGER NOT NULL REFERENCES job (id) ON DELETE CASCADE,
    kind TEXT NOT NULL CHECK (length(kind) BETWEEN 1 AND 40),
    asked TEXT NOT NULL CHECK (json_valid(asked)),
    state TEXT NOT NULL DEFAULT 'waiting' CHECK (state IN ('waiting', 'working', 'done', 'cancelled', 'failed')),
    said TEXT NOT NULL DEFAULT '',
    asked_at TEXT NOT NULL,
    owner TEXT NOT NULL DEFAULT '',
    tries INTEGER NOT NULL DEFAULT 0
) STRICT;
INSERT INTO task_anew SELECT id, job_id, kind, asked, state, said, asked_at, owner, tries FROM task;
CREATE TABLE task_step_anew (
    task_id INTEGER NOT NULL REFERENCES task_anew (id) ON DELETE CASCADE,
    place INTEGER NOT NULL,
    content TEXT NOT NULL CHECK (json_valid(content)),
    PRIMARY KEY (task_id, place)
) STRICT;
INSERT INTO task_step_anew SELECT task_id, place, content FROM task_step;
DROP TABLE task_step;
DROP TABLE task;
ALTER TABLE task_anew RENAME TO task;
ALTER TABLE task_step_anew RENAME TO task_step;
CREATE INDEX task_by_job ON task (job_id);
CREATE TABLE run_course (
    run_id INTEGER PRIMARY KEY REFERENCES bench_run (id) ON DELETE CASCADE,
    content TEXT NOT NULL CHECK (json_valid(content))
) STRICT;
