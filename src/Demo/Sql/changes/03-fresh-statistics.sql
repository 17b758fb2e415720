-- Fresh statistics
-- ANALYZE ran last when the association had a tenth of today's bookings, in a pilot of twelve huts. Fresh averages are
-- right for most huts, and wrong for the busiest one.
ANALYZE;
