-- Orders of a day: a range instead of date()
-- A function on the column keeps its index from being used.
-- rewrite: orders_of_day
SELECT count(*), max(lift_load_kg) FROM supply_order WHERE ordered_at >= :day AND ordered_at < (:day::date + 1)::text;
