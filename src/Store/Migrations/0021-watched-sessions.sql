-- In a watch, what each session was seen doing in each stretch.
CREATE TABLE watch_session (
    id INTEGER PRIMARY KEY,
    watch_id INTEGER NOT NULL REFERENCES watch(id) ON DELETE CASCADE,
    number INTEGER NOT NULL, -- the server's
    user TEXT NOT NULL,
    application TEXT NOT NULL,
    UNIQUE (watch_id, number, user, application)
);
CREATE TABLE watch_seen (
    watch_id INTEGER NOT NULL REFERENCES watch(id) ON DELETE CASCADE,
    at INTEGER NOT NULL,
    session_id INTEGER NOT NULL REFERENCES watch_session(id) ON DELETE CASCADE,
    pattern INTEGER NOT NULL,
    kind TEXT NOT NULL,
    looks INTEGER NOT NULL,
    PRIMARY KEY (watch_id, at, session_id, pattern, kind)
) WITHOUT ROWID;
CREATE INDEX watch_seen_session ON watch_seen(session_id);
