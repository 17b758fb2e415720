-- Looks at a server's sessions: load over time by kind of wait, the statements that made it, and moments that were kept whole.
CREATE TABLE watch (
    id INTEGER PRIMARY KEY,
    book_id INTEGER NOT NULL REFERENCES book(id) ON DELETE CASCADE,
    address TEXT NOT NULL,
    pile_up INTEGER NOT NULL,
    began_at INTEGER NOT NULL,
    last_at INTEGER NOT NULL,
    looks INTEGER NOT NULL,
    look_ms REAL NOT NULL,
    ending TEXT
);
CREATE INDEX watch_book ON watch(book_id, began_at);

CREATE TABLE watch_stretch (
    watch_id INTEGER NOT NULL REFERENCES watch(id) ON DELETE CASCADE,
    at INTEGER NOT NULL,
    samples INTEGER NOT NULL,
    active REAL NOT NULL,
    by_kind TEXT NOT NULL,
    PRIMARY KEY (watch_id, at)
) WITHOUT ROWID;

CREATE TABLE watch_pattern (
    watch_id INTEGER NOT NULL REFERENCES watch(id) ON DELETE CASCADE,
    pattern TEXT NOT NULL,
    sql TEXT NOT NULL,
    seen INTEGER NOT NULL,
    by_kind TEXT NOT NULL,
    PRIMARY KEY (watch_id, pattern)
) WITHOUT ROWID;

CREATE TABLE watch_moment (
    watch_id INTEGER NOT NULL REFERENCES watch(id) ON DELETE CASCADE,
    at INTEGER NOT NULL,
    piled_up INTEGER NOT NULL,
    sessions TEXT NOT NULL,
    PRIMARY KEY (watch_id, at)
) WITHOUT ROWID;
