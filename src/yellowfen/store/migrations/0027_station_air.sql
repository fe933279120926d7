-- A station's air is one record, kept as the source's own description has it: a new property of a nozzle needs no column.
-- A display outside what air can be (50 to 600 °C) stands for the true outlet.
ALTER TABLE station ADD COLUMN air TEXT NOT NULL DEFAULT '{}' CHECK (json_valid(air));
UPDATE station SET
    air = json_object(
        'nozzle_mm', nozzle_mm,
        'outlet_c', CASE WHEN outlet_c BETWEEN 50 AND 600 THEN outlet_c ELSE outlet_c + outlet_offset_c END,
        'flow_lpm', flow_lpm,
        'nozzle_long_mm', nozzle_long_mm
    ),
    outlet_offset_c = CASE WHEN outlet_c BETWEEN 50 AND 600 THEN outlet_offset_c ELSE 0 END;
ALTER TABLE station DROP COLUMN nozzle_mm;
ALTER TABLE station DROP COLUMN outlet_c;
ALTER TABLE station DROP COLUMN flow_lpm;
ALTER TABLE station DROP COLUMN nozzle_long_mm;
