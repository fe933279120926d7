-- What a set of files that no board could be read from was taken for, and what its owner says it is; how a board that an earlier version stored would be read by this one; the table that databases made by the first form of 0004 lack; settings of the bench that no tool carries; and stations of whose air or outlet nothing is known.
ALTER TABLE board_import ADD COLUMN guesses TEXT NOT NULL DEFAULT '[]' CHECK (json_valid(guesses));
ALTER TABLE board_import ADD COLUMN choices TEXT NOT NULL DEFAULT '{}' CHECK (json_valid(choices));
ALTER TABLE board ADD COLUMN reread TEXT CHECK (reread IS NULL OR json_valid(reread));
CREATE TABLE IF NOT EXISTS footprint_meaning (
    footprint TEXT PRIMARY KEY,
    package TEXT NOT NULL CHECK (length(package) BETWEEN 1 AND 120)
) STRICT;
ALTER TABLE station ADD COLUMN air_unknown INTEGER NOT NULL DEFAULT 0 CHECK (air_unknown IN (0, 1));
ALTER TABLE station ADD COLUMN outlet_unknown INTEGER NOT NULL DEFAULT 0 CHECK (outlet_unknown IN (0, 1));
CREATE TABLE bench_setting (
    name TEXT PRIMARY KEY CHECK (length(name) BETWEEN 1 AND 40),
    value TEXT NOT NULL CHECK (length(value) <= 200)
) STRICT;
