-- Composite index for the arrivals board
-- The board reads all booked nights for each hut and night. With an index on both, a scan becomes a search; every
-- new night pays for it a little.
CREATE INDEX booking_night_hut_night ON booking_night(hut_id, night);
