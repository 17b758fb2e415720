-- What was executed in one stretch of time on one source: 1 a minute, 2 an hour, 3 a day. Minutes since 1970 UTC, durations
-- ticks of 100 ns. All patterns of the stretch stand in one row, so that a fortnight is read in hundreds of rows instead of millions.
-- Layout: CellBlock.cs.
CREATE TABLE block (
    stretch INTEGER NOT NULL,
    source_id INTEGER NOT NULL REFERENCES source(id) ON DELETE CASCADE,
    minute INTEGER NOT NULL,
    whole BLOB NOT NULL,
    sums BLOB NOT NULL,
    durations BLOB NOT NULL,
    UNIQUE (stretch, source_id, minute)
);
CREATE INDEX block_source ON block(source_id);
