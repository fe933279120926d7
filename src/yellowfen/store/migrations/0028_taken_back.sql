-- What is removed can be restored, as jobs and runs can; a change to a board can be taken back.
ALTER TABLE board ADD COLUMN removed_at TEXT;
ALTER TABLE tool ADD COLUMN removed_at TEXT;
ALTER TABLE paste_lot ADD COLUMN removed_at TEXT;
ALTER TABLE own_package ADD COLUMN removed_at TEXT;

-- A board as it stood before a change: `said` names the change; content and choices are compressed JSON; `memory` is
-- what the library remembered before ("heading" and "footprint" with their earlier meanings).
CREATE TABLE board_before (
    id INTEGER PRIMARY KEY,
    board_id INTEGER NOT NULL REFERENCES board (id) ON DELETE CASCADE,
    said TEXT NOT NULL,
    content BLOB NOT NULL,
    choices BLOB NOT NULL,
    memory TEXT NOT NULL DEFAULT '{}' CHECK (json_valid(memory))
);
CREATE INDEX board_before_board ON board_before (board_id);
