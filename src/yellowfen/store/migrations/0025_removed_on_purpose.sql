-- How many records the user removed, so that a database that lost some is told from one that was
-- tidied: what is there and what was removed on purpose only ever grow together.
CREATE TABLE removed_on_purpose (
    what TEXT PRIMARY KEY,
    number INTEGER NOT NULL DEFAULT 0 CHECK (number >= 0)
) STRICT;
INSERT INTO removed_on_purpose (what) VALUES
    ('board'), ('job'), ('bench_run'), ('bench_tap'), ('picture'), ('passport'), ('station'), ('paste_lot');
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
