-- The room's temperature stands once, on the job: Ready reckoned with one, each heat with one of its own. What was typed in Ready goes before the heat in hand; nothing typed stays unknown.
ALTER TABLE job ADD COLUMN room_c REAL CHECK (room_c IS NULL OR room_c BETWEEN -10 AND 60);
UPDATE job SET room_c = coalesce(
    (SELECT json_extract(content, '$.room_c') FROM ready_plan WHERE ready_plan.job_id = job.id
        AND json_type(content, '$.room_c') IN ('integer', 'real')
        AND json_extract(content, '$.room_c') <> 22.0
        AND json_extract(content, '$.room_c') BETWEEN -10 AND 60),
    (SELECT json_extract(plan, '$.ambient_c') FROM heat WHERE heat.id = job.heat_id
        AND json_type(plan, '$.ambient_c') IN ('integer', 'real')
        AND json_extract(plan, '$.ambient_c') BETWEEN -10 AND 60)
);
