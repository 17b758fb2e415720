-- Report finder: UNION instead of OR across two tables
-- No index serves an OR over columns of two tables; two searches do.
-- rewrite: reports_by_title_or_author
SELECT r.id, r.title, m.name
FROM trail_report r JOIN member m ON m.id = r.member_id
WHERE r.title = :title
UNION
SELECT r.id, r.title, m.name
FROM member m JOIN trail_report r ON r.member_id = m.id
WHERE m.number = :number
ORDER BY 1;
