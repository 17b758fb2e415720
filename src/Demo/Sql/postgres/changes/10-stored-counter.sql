-- Expected guests: a counter kept by triggers
-- Counting at each page view becomes reading a number; each booking pays for keeping it right. The bill decides.
ALTER TABLE hut ADD COLUMN expected integer NOT NULL DEFAULT 0;
UPDATE hut SET expected = (SELECT count(*) FROM booking b WHERE b.hut_id = hut.id AND b.state = 'confirmed');
CREATE FUNCTION booking_expected() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    IF TG_OP IN ('UPDATE', 'DELETE') THEN
        UPDATE hut SET expected = expected - 1 WHERE id = old.hut_id AND old.state = 'confirmed';
    END IF;
    IF TG_OP IN ('INSERT', 'UPDATE') THEN
        UPDATE hut SET expected = expected + 1 WHERE id = new.hut_id AND new.state = 'confirmed';
    END IF;
    RETURN NULL;
END $$;
CREATE TRIGGER booking_expected_insert AFTER INSERT ON booking FOR EACH ROW EXECUTE FUNCTION booking_expected();
CREATE TRIGGER booking_expected_delete AFTER DELETE ON booking FOR EACH ROW EXECUTE FUNCTION booking_expected();
CREATE TRIGGER booking_expected_update AFTER UPDATE OF state, hut_id ON booking FOR EACH ROW EXECUTE FUNCTION booking_expected();
-- rewrite: expected_guests
SELECT name, expected::bigint FROM hut WHERE id = :hut;
