-- A change that changes nothing
-- A view for a report that nobody has written yet. Everything should be level: the tool does not cry wolf.
CREATE VIEW tonight AS SELECT hut_id, count(*) AS guests FROM booking_night GROUP BY hut_id;
