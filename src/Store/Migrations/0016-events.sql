-- What a server's log tells besides statements (LogEventKind): how often and how much by hours (minutes since 1970 UTC), of a pattern or,
-- with pattern_id 0, of none; and those that stand out, as they were told (at: ticks UTC).
CREATE TABLE event_hour (
    pattern_id INTEGER NOT NULL,
    source_id INTEGER NOT NULL REFERENCES source(id) ON DELETE CASCADE,
    hour INTEGER NOT NULL,
    kind INTEGER NOT NULL,
    count INTEGER NOT NULL,
    amount REAL NOT NULL,
    PRIMARY KEY (source_id, hour, kind, pattern_id)
) WITHOUT ROWID;
CREATE TABLE kept_event (
    id INTEGER PRIMARY KEY,
    source_id INTEGER NOT NULL REFERENCES source(id) ON DELETE CASCADE,
    kind INTEGER NOT NULL,
    at INTEGER NOT NULL,
    pattern_id INTEGER NOT NULL,
    amount REAL NOT NULL,
    message TEXT NOT NULL,
    database TEXT NOT NULL,
    user TEXT NOT NULL,
    application TEXT NOT NULL
);
CREATE INDEX kept_event_place ON kept_event(source_id, kind, amount);
