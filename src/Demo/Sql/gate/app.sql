-- What the booking application sends most, with what each statement may cost.
-- budget for all: bill at most 5 % dearer
-- budget for all: writes at most 30 % dearer

-- name: arrivals_tonight
-- calls: 1200/day
-- bind: hut=137, night='2026-07-18'
-- bind: hut=41, night='2026-07-18'
SELECT b.id, m.name, b.party, n.bunk_id
FROM booking_night n
JOIN booking b ON b.id = n.booking_id
JOIN member m ON m.id = b.member_id
WHERE n.hut_id = :hut AND n.night = :night
ORDER BY b.id, n.bunk_id;

-- name: hut_card
-- calls: 40000/day
-- bind: hut=137
-- bind: hut=41
-- budget: work <= 2000
-- budget: no table read whole over 1000 rows
SELECT h.name, h.altitude_m, s.name AS section, count(k.id) AS bunks
FROM hut h
JOIN range_section s ON s.id = h.section_id
JOIN room r ON r.hut_id = h.id
JOIN bunk k ON k.room_id = r.id
WHERE h.id = :hut;

-- name: member_by_number
-- calls: 20000/day
-- bind: number='M000417'
-- bind: number='M002718'
-- budget: work <= 100
-- budget: rows read per row returned <= 3
SELECT id, name, country, joined_on FROM member WHERE number = :number;

-- name: member_by_email
-- calls: 6000/day
-- bind: email='walker417@post.invalid'
-- budget: work <= 100
-- budget: rows read per row returned <= 3
SELECT id, number, name FROM member WHERE email = :email;

-- name: latest_reports
-- calls: 6000/day
-- bind: section=3
-- budget: work <= 300
SELECT id, title, written_on FROM trail_report WHERE section_id = :section ORDER BY written_on DESC LIMIT 10;

-- name: reports_in_week
-- calls: 3000/day
-- bind: section=3, monday='2026-07-06', sunday='2026-07-12'
-- budget: rows read per row returned <= 4
SELECT id, title, written_on, length(body)
FROM trail_report
WHERE section_id = :section AND written_on BETWEEN :monday AND :sunday;

-- name: add_night
-- calls: 14000/day
-- bind: booking=4711, hut=137, bunk=6001
-- budget: work <= 200
INSERT INTO booking_night (booking_id, hut_id, bunk_id, night) VALUES (:booking, :hut, :bunk, '2026-08-02');

-- name: add_reading
-- calls: 61000/day
-- bind: hut=137
-- bind: hut=41
-- budget: work <= 200
INSERT INTO weather_reading (hut_id, taken_at, temperature, wind_ms, humidity)
VALUES (:hut, '2026-07-18 09:30:00', 11.5, 6.2, 63);
