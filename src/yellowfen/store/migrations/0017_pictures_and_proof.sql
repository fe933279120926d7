-- Pictures of a board in hand with what was measured on them; with which pin a bridge joins; what its owner said of a board's proof: its supplies, its function steps, what it was cleaned with; and by which limits of their own joints count as good.
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
CREATE INDEX picture_by_job ON picture (job_id);
CREATE TABLE board_proof (
    board_id INTEGER PRIMARY KEY REFERENCES board (id) ON DELETE CASCADE,
    content TEXT NOT NULL CHECK (json_valid(content))
) STRICT;
CREATE TABLE job_cleaning (
    job_id INTEGER PRIMARY KEY REFERENCES job (id) ON DELETE CASCADE,
    content TEXT NOT NULL CHECK (json_valid(content))
) STRICT;
ALTER TABLE joint_mark ADD COLUMN other TEXT NOT NULL DEFAULT '' CHECK (length(other) <= 20);
CREATE TABLE acceptance (
    grade INTEGER PRIMARY KEY CHECK (grade BETWEEN 1 AND 3),
    content TEXT NOT NULL CHECK (json_valid(content))
) STRICT;
