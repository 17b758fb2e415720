-- name: orders_of_day
-- calls: 600/day
-- bind: day='2026-07-16'
SELECT count(*), max(lift_load_kg) FROM supply_order WHERE ordered_at::date = :day::date;
