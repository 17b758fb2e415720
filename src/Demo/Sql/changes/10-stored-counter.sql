-- Expected guests: a counter kept by triggers
-- Counting at each page view becomes reading a number; each booking pays for keeping it right. The bill decides.
ALTER TABLE hut ADD COLUMN expected INTEGER NOT NULL DEFAULT 0;
UPDATE hut SET expected = (SELECT count(*) FROM booking b WHERE b.hut_id = hut.id AND b.state = 'confirmed');
CREATE TRIGGER booking_expected_insert AFTER INSERT ON booking WHEN new.state = 'confirmed' BEGIN
    UPDATE hut SET expected = expected + 1 WHERE id = new.hut_id;
END;
CREATE TRIGGER booking_expected_delete AFTER DELETE ON booking WHEN old.state = 'confirmed' BEGIN
    UPDATE hut SET expected = expected - 1 WHERE id = old.hut_id;
END;
CREATE TRIGGER booking_expected_update AFTER UPDATE OF state, hut_id ON booking BEGIN
    UPDATE hut SET expected = expected - (CASE WHEN old.state = 'confirmed' THEN 1 ELSE 0 END) WHERE id = old.hut_id;
    UPDATE hut SET expected = expected + (CASE WHEN new.state = 'confirmed' THEN 1 ELSE 0 END) WHERE id = new.hut_id;
END;
-- rewrite: expected_guests
SELECT name, expected FROM hut WHERE id = :hut;
