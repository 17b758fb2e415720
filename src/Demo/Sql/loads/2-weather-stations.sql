-- Weather stations: commit each reading, or a hundred together
-- Eight stations report as fast as they may. What a commit costs is the disk's affair; how many there are is the application's.

-- part: stations
-- sessions: 8
-- commit: each
-- commit after: every 100

-- name: reading
-- draw: id = sequence from 100000000
-- draw: hut = uniform 1 to 212
-- draw: wind = uniform 0.0 to 30.0
INSERT INTO weather_reading (id, hut_id, taken_at, temperature, wind_ms, humidity) VALUES (:id, :hut, '2026-07-18T17:00:00', 12.5, :wind, 60);

-- part: boards
-- sessions: 2
-- think: 20 ms

-- name: latest_weather
-- draw: hut = uniform 1 to 212
SELECT taken_at, temperature, wind_ms FROM weather_reading WHERE hut_id = :hut ORDER BY taken_at DESC LIMIT 1;
