-- On richly drawn boards some rows of fine squares met no row of the drawing and counted as laminate, so that pours conducted too little across them: boards with drawn copper are read again.
UPDATE board SET stale = 1 WHERE sketch IS NULL AND json_valid(content) AND EXISTS (
    SELECT 1 FROM json_each(content, '$.copper') AS foil WHERE json_extract(foil.value, '$.links') IS NOT NULL
);
