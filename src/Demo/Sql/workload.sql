-- What the booking application, the wardens' boards and the weather stations send on a day in July.

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

-- name: free_bunks
-- calls: 9000/day
-- bind: hut=137, night='2026-07-18'
-- bind: hut=41, night='2026-07-18'
SELECT r.name, k.label, k.kind
FROM room r
JOIN bunk k ON k.room_id = r.id
WHERE r.hut_id = :hut
  AND NOT EXISTS (SELECT 1 FROM booking_night n WHERE n.bunk_id = k.id AND n.night = :night);

-- name: hut_card
-- calls: 40000/day
-- bind: hut=137
-- bind: hut=41
SELECT h.name, h.altitude_m, s.name AS section, count(k.id) AS bunks
FROM hut h
JOIN range_section s ON s.id = h.section_id
JOIN room r ON r.hut_id = h.id
JOIN bunk k ON k.room_id = r.id
WHERE h.id = :hut;

-- name: rooms_of_hut
-- calls: 12000/day
-- bind: hut=137
SELECT r.id, r.name, count(*) FROM room r JOIN bunk k ON k.room_id = r.id WHERE r.hut_id = :hut GROUP BY r.id;

-- name: member_by_number
-- calls: 20000/day
-- bind: number='M000417'
-- bind: number='M002718'
SELECT id, name, country, joined_on FROM member WHERE number = :number;

-- name: member_by_email
-- calls: 6000/day
-- bind: email='walker417@post.invalid'
SELECT id, number, name FROM member WHERE email = :email;

-- name: member_history
-- calls: 5000/day
-- bind: member=417
-- bind: member=7
SELECT b.id, h.name, b.first_night, b.nights, b.state
FROM booking b JOIN hut h ON h.id = b.hut_id
WHERE b.member_id = :member
ORDER BY b.first_night DESC;

-- name: booking_details
-- calls: 15000/day
-- bind: id=4711
-- bind: id=12001
SELECT b.id, b.state, b.first_night, b.nights, b.party, m.name, m.email, h.name AS hut
FROM booking b
JOIN member m ON m.id = b.member_id
JOIN hut h ON h.id = b.hut_id
WHERE b.id = :id;

-- name: nights_of_booking
-- calls: 15000/day
-- bind: id=4711
SELECT n.night, k.label, r.name
FROM booking_night n
JOIN bunk k ON k.id = n.bunk_id
JOIN room r ON r.id = k.room_id
WHERE n.booking_id = :id
ORDER BY n.night;

-- name: open_bookings_of_hut
-- calls: 3000/day
-- bind: hut=137
-- bind: hut=41
SELECT id, member_id, first_night, party
FROM booking
WHERE hut_id = :hut AND state = 'open'
ORDER BY first_night, id;

-- name: expected_guests
-- calls: 30000/day
-- bind 0.7: hut=137
-- bind 0.3: hut=41
SELECT h.name, (SELECT count(*) FROM booking b WHERE b.hut_id = h.id AND b.state = 'confirmed') AS expected
FROM hut h
WHERE h.id = :hut;

-- name: day_sheet
-- calls: 2500/day
-- bind 0.3: hut=137, night='2026-07-18'
-- bind 0.7: hut=41, night='2026-07-18'
SELECT id, member_id, state, nights, party
FROM booking
WHERE hut_id = :hut AND first_night = :night;

-- name: latest_bookings
-- calls: 4000/day
SELECT id, hut_id, state, created_at FROM booking ORDER BY created_at DESC, id DESC LIMIT 20;

-- name: booking_pages
-- calls: 800/day
-- bind 0.8: skip=0
-- bind 0.15: skip=200
-- bind 0.05: skip=8000
SELECT id, hut_id, member_id, state, created_at
FROM booking
ORDER BY created_at DESC, id DESC
LIMIT 20 OFFSET :skip;

-- name: orders_of_day
-- calls: 600/day
-- bind: day='2026-07-16'
SELECT count(*), max(lift_load_kg) FROM supply_order WHERE date(ordered_at) = :day;

-- name: price_on_day
-- calls: 25000/day
-- bind: hut=137, kind='dormitory', day='2026-07-18'
-- bind: hut=41, kind='private', day='2026-07-18'
SELECT price_cents
FROM bunk_price
WHERE hut_id = :hut AND kind = :kind AND valid_from <= :day AND valid_to > :day;

-- name: price_list
-- calls: 2000/day
-- bind: hut=137
SELECT kind, valid_from, valid_to, price_cents FROM bunk_price WHERE hut_id = :hut ORDER BY kind, valid_from;

-- name: latest_reports
-- calls: 6000/day
-- bind: section=3
SELECT id, title, written_on FROM trail_report WHERE section_id = :section ORDER BY written_on DESC LIMIT 10;

-- name: reports_in_week
-- calls: 3000/day
-- bind: section=3, monday='2026-07-06', sunday='2026-07-12'
SELECT id, title, written_on, length(body)
FROM trail_report
WHERE section_id = :section AND written_on BETWEEN :monday AND :sunday;

-- name: report_search
-- calls: 150/day
-- bind: word='%rockfall%'
SELECT id, title FROM trail_report WHERE body LIKE :word ORDER BY id DESC LIMIT 50;

-- name: reports_by_title_or_author
-- calls: 300/day
-- bind: title='Snow field above the saddle', number='M000417'
SELECT r.id, r.title, m.name
FROM trail_report r
JOIN member m ON m.id = r.member_id
WHERE r.title = :title OR m.number = :number
ORDER BY r.id;

-- name: supply_of_section
-- calls: 200/day
-- bind: section=3
SELECT h.id, h.name,
       (SELECT count(*) FROM supply_order o WHERE o.hut_id = h.id) AS orders,
       (SELECT max(o.ordered_at) FROM supply_order o WHERE o.hut_id = h.id) AS latest
FROM hut h
WHERE h.section_id = :section
ORDER BY h.id;

-- name: activity_of_section
-- calls: 120/day
-- bind: section=3
SELECT DISTINCT h.id, h.name, h.altitude_m
FROM hut h
JOIN trail_report r ON r.hut_id = h.id
JOIN supply_order o ON o.hut_id = h.id
WHERE h.section_id = :section
ORDER BY h.id;

-- name: supply_lines
-- calls: 900/day
-- bind: id=311
SELECT item, quantity, price_cents, quantity * price_cents AS amount FROM supply_order_line WHERE order_id = :id ORDER BY id;

-- name: huts_without_reports
-- calls: 24/day
SELECT id, name FROM hut WHERE id NOT IN (SELECT hut_id FROM trail_report WHERE section_id = 7);

-- name: latest_weather
-- calls: 20000/day
-- bind: hut=137
-- bind: hut=41
SELECT taken_at, temperature, wind_ms, humidity FROM weather_reading WHERE hut_id = :hut ORDER BY taken_at DESC LIMIT 1;

-- name: weather_of_day
-- calls: 4000/day
-- bind: hut=137, from='2026-07-17', to='2026-07-18'
SELECT min(temperature), max(temperature), avg(wind_ms)
FROM weather_reading
WHERE hut_id = :hut AND taken_at >= :from AND taken_at < :to;

-- name: members_by_country
-- calls: 12/day
SELECT country, count(*) FROM member GROUP BY country ORDER BY count(*) DESC, country;

-- name: huts_of_section
-- calls: 5000/day
-- bind: section=3
-- bind: section=9
SELECT id, name, altitude_m FROM hut WHERE section_id = :section ORDER BY altitude_m DESC;

-- name: add_booking
-- calls: 2600/day
-- bind: hut=137, member=417
-- bind: hut=41, member=417
INSERT INTO booking (hut_id, member_id, state, first_night, nights, party, created_at)
VALUES (:hut, :member, 'confirmed', '2026-08-02', 2, 3, '2026-07-18 09:30');

-- name: add_night
-- calls: 14000/day
-- bind: booking=4711, hut=137, bunk=6001
INSERT INTO booking_night (booking_id, hut_id, bunk_id, night) VALUES (:booking, :hut, :bunk, '2026-08-02');

-- name: confirm_booking
-- calls: 2400/day
-- bind: id=12001
UPDATE booking SET state = CASE state WHEN 'confirmed' THEN 'open' ELSE 'confirmed' END WHERE id = :id;

-- name: add_reading
-- calls: 61000/day
-- bind: hut=137
-- bind: hut=41
INSERT INTO weather_reading (hut_id, taken_at, temperature, wind_ms, humidity)
VALUES (:hut, '2026-07-18 09:30:00', 11.5, 6.2, 63);

-- The wardens' board of who is expected: a list, and the guest of each of its rows.
-- unit: guest_board
-- calls: 900/day
-- bind: hut=137
-- bind: hut=41
SELECT id, member_id AS member, first_night, party FROM booking WHERE hut_id = :hut AND state = 'confirmed' ORDER BY id;
-- each row
SELECT name, email FROM member WHERE id = :member;
