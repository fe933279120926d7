-- What a set of files that no board could be read from was taken for, and what its owner says it is; how a board that an earlier version stored would be read by this one; the table that databases made by the first form of 0004 lack; and settings of the bench that no tool carries.
ALTER TABLE board_import ADD COLUMN guesses TEXT NOT NULL DEFAULT '[]' CHECK (json_valid(guesses));
ALTER TABLE board_import ADD COLUMN choices TEXT NOT NULL DEFAULT '{}' CHECK (json_valid(choices));
ALTER TABLE board ADD COLUMN reread TEXT CHECK (reread IS NULL OR json_valid(reread));
CREATE TABLE IF NOT EXISTS footprint_meaning (
    footprint TEXT PRIMARY KEY,
    package TEXT NOT NULL CHECK (length(package) BETWEEN 1 AND 120)
) STRICT;
CREATE TABLE bench_setting (
    name TEXT PRIMARY KEY CHECK (length(name) BETWEEN 1 AND 40),
    value TEXT NOT NULL CHECK (length(value) <= 200)
) STRICT;
