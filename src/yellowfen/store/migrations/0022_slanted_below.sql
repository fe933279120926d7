-- Lands of parts that lie slanted on the bottom were stored with their length and width exchanged: such boards are read again.
UPDATE board SET stale = 1 WHERE sketch IS NULL AND json_valid(content) AND EXISTS (
    SELECT 1 FROM json_each(content, '$.parts') AS part
    WHERE json_extract(part.value, '$.side') = 'bottom'
    AND abs(json_extract(part.value, '$.rotation_deg') - 90 * round(json_extract(part.value, '$.rotation_deg') / 90.0)) > 0.01
);
