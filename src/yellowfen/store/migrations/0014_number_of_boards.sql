-- How many boards a job is for stands once, on the job.
ALTER TABLE job ADD COLUMN boards INTEGER NOT NULL DEFAULT 1 CHECK (boards BETWEEN 1 AND 10000);
UPDATE job SET boards = max(1, min(10000, coalesce(
    (SELECT json_extract(content, '$.boards') FROM ready_plan WHERE ready_plan.job_id = job.id),
    (SELECT json_extract(content, '$.boards') FROM paste_plan WHERE paste_plan.job_id = job.id), 1
)));
