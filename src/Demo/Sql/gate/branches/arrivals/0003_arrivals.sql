-- Who arrives at a hut tonight is asked at every desk: it finds them by hut and night.
CREATE INDEX booking_night_hut_night ON booking_night (hut_id, night);
