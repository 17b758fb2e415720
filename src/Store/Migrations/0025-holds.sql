-- The first and the last minute of the hour in which a plan was seen; null in what was read before.
ALTER TABLE plan_use ADD COLUMN first INTEGER;
ALTER TABLE plan_use ADD COLUMN last INTEGER;

-- A statement's text that keeps its plan, proven to give the same rows, ready to come into force by itself.
CREATE TABLE fallback (
    id INTEGER PRIMARY KEY,
    book_id INTEGER NOT NULL REFERENCES book(id) ON DELETE CASCADE,
    pattern INTEGER NOT NULL,
    statement TEXT NOT NULL,
    sql TEXT NOT NULL,
    sql_pattern INTEGER NOT NULL,
    trial_id INTEGER NOT NULL,
    factor REAL NOT NULL, -- so many times as long a call has to take
    author TEXT NOT NULL,
    kept_at TEXT NOT NULL,
    dropped_at TEXT
);
CREATE UNIQUE INDEX fallback_of_pattern ON fallback(book_id, pattern) WHERE dropped_at IS NULL;

-- Each time a fall-back was in force. Never deleted while its book is there: how often a statement needed one is what is to be known of it.
CREATE TABLE hold (
    id INTEGER PRIMARY KEY,
    book_id INTEGER NOT NULL REFERENCES book(id) ON DELETE CASCADE,
    fallback_id INTEGER NOT NULL REFERENCES fallback(id),
    pattern INTEGER NOT NULL,
    state TEXT NOT NULL, -- verifying, inForce, released
    opened_at TEXT NOT NULL,
    opened_minute INTEGER NOT NULL, -- the daybook's time: where the captures reached to
    opened_by TEXT NOT NULL,
    shape TEXT NOT NULL, -- the plan that it was opened against; empty when opened by hand
    turn TEXT NOT NULL, -- JSON: what was seen; empty when opened by hand
    effect TEXT, -- JSON: what it brought
    released_at TEXT,
    why TEXT -- it did not help, the fix is live, or somebody's words
);
CREATE UNIQUE INDEX hold_of_pattern ON hold(book_id, pattern) WHERE released_at IS NULL;
