-- Huts without reports: anti-join instead of NOT IN
-- Looks equal, and is not: some reports name no hut, and NOT IN with a NULL is never true.
-- rewrite: huts_without_reports
SELECT id, name FROM hut h
WHERE NOT EXISTS (SELECT 1 FROM trail_report r WHERE r.hut_id = h.id AND r.section_id = 7);
