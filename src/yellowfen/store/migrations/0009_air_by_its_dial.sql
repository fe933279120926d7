-- A station's air as most people know it: the share of its dial, and perhaps the most it blows; litres a minute stay for those who know them.
ALTER TABLE station ADD COLUMN air_share REAL CHECK (air_share IS NULL OR air_share BETWEEN 0.01 AND 1);
ALTER TABLE station ADD COLUMN air_max_lpm REAL CHECK (air_max_lpm IS NULL OR air_max_lpm BETWEEN 1 AND 400);
