-- A print that was tapped at the bench names its tap, so that each is taken back where it was made.
ALTER TABLE printed ADD COLUMN tap TEXT NOT NULL DEFAULT '' CHECK (length(tap) <= 100);
