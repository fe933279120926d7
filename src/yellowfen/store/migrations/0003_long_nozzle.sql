ALTER TABLE station ADD COLUMN nozzle_long_mm REAL CHECK (nozzle_long_mm IS NULL OR nozzle_long_mm BETWEEN 1 AND 60);
