-- Active huts: stop multiplying two child tables
-- Joining reports and orders to a hut gives every pair of them, which DISTINCT then throws away.
-- rewrite: activity_of_section
SELECT h.id, h.name, h.altitude_m
FROM hut h
JOIN (SELECT hut_id FROM supply_order GROUP BY hut_id) o ON o.hut_id = h.id
WHERE h.section_id = :section
  AND EXISTS (SELECT 1 FROM trail_report r WHERE r.hut_id = h.id)
ORDER BY h.id;
