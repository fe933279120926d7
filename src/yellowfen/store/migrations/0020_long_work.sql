-- Long work of every kind stands in one table: what it is for, who holds it, how it ended; what one kind needs besides stands beside it. A board to be read again is such work too.
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
CREATE INDEX work_by_job ON work (job_id);
CREATE TABLE work_step (
    work_id INTEGER NOT NULL REFERENCES work (id) ON DELETE CASCADE,
    place INTEGER NOT NULL,
    content TEXT NOT NULL CHECK (json_valid(content)),
    PRIMARY KEY (work_id, place)
) STRICT;
INSERT INTO work (id, kind, job_id, asked, state, said, asked_at, owner, tries)
SELECT id, kind, job_id, asked, state, said, asked_at, owner, tries FROM task;
INSERT INTO work_step SELECT task_id, place, content FROM task_step;
-- Imports come behind the searches: each gets a number that no search has.
CREATE TABLE board_import_anew (
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
CREATE TABLE board_import_file_anew (
    work_id INTEGER NOT NULL REFERENCES board_import_anew (work_id) ON DELETE CASCADE,
    name TEXT NOT NULL,
    bytes BLOB NOT NULL,
    PRIMARY KEY (work_id, name)
) STRICT;
INSERT INTO work (id, kind, board_id, state, said, asked_at, owner, tries)
SELECT id + (SELECT coalesce(max(id), 0) FROM task), 'import', revision_of, state, said, asked_at, owner, tries
FROM board_import;
INSERT INTO board_import_anew
SELECT id + (SELECT coalesce(max(id), 0) FROM task), name, thickness_mm, revision_of, done_steps, all_steps, board_id, guesses, choices
FROM board_import;
INSERT INTO board_import_file_anew
SELECT import_id + (SELECT coalesce(max(id), 0) FROM task), name, bytes FROM board_import_file;
DROP TABLE board_import_file;
DROP TABLE board_import;
DROP TABLE task_step;
DROP TABLE task;
ALTER TABLE board_import_anew RENAME TO board_import;
ALTER TABLE board_import_file_anew RENAME TO board_import_file;
