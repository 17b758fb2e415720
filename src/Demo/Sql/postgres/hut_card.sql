-- name: hut_card
-- calls: 40000/day
-- bind: hut=137
-- bind: hut=41
SELECT h.name, h.altitude_m, s.name AS section, count(k.id) AS bunks
FROM hut h
JOIN range_section s ON s.id = h.section_id
JOIN room r ON r.hut_id = h.id
JOIN bunk k ON k.room_id = r.id
WHERE h.id = :hut
GROUP BY h.id, s.id;
