-- Which values statements were called with: executions drawn in an hour (minutes since 1970 UTC), by the values that came again and again.
-- JSON, see KeptHour.
CREATE TABLE value_hour (
    pattern_id INTEGER NOT NULL REFERENCES pattern(id) ON DELETE CASCADE,
    source_id INTEGER NOT NULL REFERENCES source(id) ON DELETE CASCADE,
    hour INTEGER NOT NULL,
    drawn TEXT NOT NULL,
    PRIMARY KEY (pattern_id, source_id, hour)
) WITHOUT ROWID;
