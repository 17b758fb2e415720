-- The evening rush, with a counter kept by triggers
-- From 17:00 wardens refresh the arrivals board and guests book. Alone, reading the counter beats counting; together, every booking of a hut changes one row.

-- part: wardens
-- sessions: 4
-- think: exponential 40 ms

-- name: expected_guests
-- draw: hut = zipf 1 to 212 by 1.1
SELECT h.name, count(b.id) AS expected
FROM hut h LEFT JOIN booking b ON b.hut_id = h.id AND b.state = 'confirmed'
WHERE h.id = :hut
GROUP BY h.name;

-- part: guests
-- sessions: 16
-- think: exponential 5 ms

-- name: book
-- unit: booking
-- draw: hut = zipf 1 to 212 by 2
-- draw: member = query SELECT id FROM member
-- draw: id = sequence from 100000000
INSERT INTO booking (id, hut_id, member_id, state, first_night, nights, party, created_at)
VALUES (:id, :hut, :member, 'confirmed', '2026-07-18', 1, 2, '2026-07-18T17:00:00');

-- name: take_bunk
-- unit: booking
-- draw: bunk = query SELECT id FROM bunk
INSERT INTO booking_night (id, booking_id, hut_id, bunk_id, night) VALUES (:id, :id, :hut, :bunk, '2026-07-18');

-- name: bookings_of_member
-- unit: booking
SELECT count(*) FROM booking WHERE member_id = :member;
