ALTER TABLE board ADD COLUMN choices TEXT NOT NULL DEFAULT '{}' CHECK (json_valid(choices));
ALTER TABLE board ADD COLUMN sketch TEXT CHECK (sketch IS NULL OR json_valid(sketch));
ALTER TABLE board ADD COLUMN revision_of INTEGER REFERENCES board (id) ON DELETE SET NULL;
-- Boards stored before this migration are read again from their files when the database is opened.
ALTER TABLE board ADD COLUMN stale INTEGER NOT NULL DEFAULT 0 CHECK (stale IN (0, 1));
UPDATE board SET stale = 1;
UPDATE board SET choices = json_object('roles', (
    SELECT json_group_object(name, chosen_role) FROM board_file WHERE board_id = board.id AND chosen_role IS NOT NULL
));
ALTER TABLE board_file DROP COLUMN chosen_role;
CREATE TABLE board_picture (
    board_id INTEGER PRIMARY KEY REFERENCES board (id) ON DELETE CASCADE,
    kind TEXT NOT NULL CHECK (kind IN ('image/png', 'image/jpeg', 'image/webp')),
    bytes BLOB NOT NULL
) STRICT;
CREATE TABLE own_package (
    name TEXT PRIMARY KEY CHECK (length(name) BETWEEN 1 AND 80),
    content TEXT NOT NULL CHECK (json_valid(content))
) STRICT;
CREATE TABLE footprint_meaning (
    footprint TEXT PRIMARY KEY,
    package TEXT NOT NULL CHECK (length(package) BETWEEN 1 AND 120)
) STRICT;
CREATE TABLE heading_choice (
    heading TEXT PRIMARY KEY,
    columns TEXT NOT NULL CHECK (json_valid(columns))
) STRICT;
CREATE TABLE board_import (
    id INTEGER PRIMARY KEY,
    name TEXT NOT NULL,
    thickness_mm REAL NOT NULL CHECK (thickness_mm BETWEEN 0.2 AND 5),
    revision_of INTEGER REFERENCES board (id) ON DELETE CASCADE,
    state TEXT NOT NULL DEFAULT 'waiting' CHECK (state IN ('waiting', 'working', 'done', 'cancelled', 'failed')),
    said TEXT NOT NULL DEFAULT '',
    done_steps INTEGER NOT NULL DEFAULT 0,
    all_steps INTEGER NOT NULL DEFAULT 1 CHECK (all_steps >= 1),
    board_id INTEGER REFERENCES board (id) ON DELETE SET NULL,
    asked_at TEXT NOT NULL
) STRICT;
CREATE TABLE board_import_file (
    import_id INTEGER NOT NULL REFERENCES board_import (id) ON DELETE CASCADE,
    name TEXT NOT NULL,
    bytes BLOB NOT NULL,
    PRIMARY KEY (import_id, name)
) STRICT;
