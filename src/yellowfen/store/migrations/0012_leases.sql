-- Long work belongs to the worker that took it, and is given up when it has killed its worker too often.
ALTER TABLE task ADD COLUMN owner TEXT NOT NULL DEFAULT '';
ALTER TABLE task ADD COLUMN tries INTEGER NOT NULL DEFAULT 0;
ALTER TABLE board_import ADD COLUMN owner TEXT NOT NULL DEFAULT '';
ALTER TABLE board_import ADD COLUMN tries INTEGER NOT NULL DEFAULT 0;
