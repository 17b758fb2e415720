-- Supply overview: join with grouping instead of correlated subqueries
-- Both subqueries read all orders again for each hut of the section.
-- rewrite: supply_of_section
SELECT h.id, h.name, coalesce(o.orders, 0) AS orders, o.latest
FROM hut h
LEFT JOIN (
    SELECT hut_id, count(*) AS orders, max(ordered_at) AS latest FROM supply_order GROUP BY hut_id
) o ON o.hut_id = h.id
WHERE h.section_id = :section
ORDER BY h.id;
