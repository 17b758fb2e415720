-- Three more indexes on weather readings
-- "Just in case" indexes: no read gets cheaper, every one of 61,000 inserts a day gets dearer.
CREATE INDEX weather_taken ON weather_reading(taken_at);
CREATE INDEX weather_temperature ON weather_reading(temperature);
CREATE INDEX weather_wind ON weather_reading(wind_ms, humidity);
