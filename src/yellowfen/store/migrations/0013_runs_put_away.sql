-- A run can be put away, so that nothing is learnt from it, and brought back for a while.
ALTER TABLE bench_run ADD COLUMN removed_at TEXT;
