-- What a book told whoever does not look: a line of its front page, from when it came to when it went.
CREATE TABLE alert (
    id INTEGER PRIMARY KEY,
    book_id INTEGER NOT NULL REFERENCES book(id) ON DELETE CASCADE,
    kind TEXT NOT NULL,
    key TEXT NOT NULL, -- what it is about: the same is not told twice while it lasts
    text TEXT NOT NULL,
    per_day REAL,
    statement TEXT,
    entry INTEGER,
    began_at TEXT NOT NULL,
    ended_at TEXT
);
CREATE UNIQUE INDEX alert_that_lasts ON alert(book_id, key) WHERE ended_at IS NULL;
CREATE INDEX alert_of_book ON alert(book_id, id);

-- Each of them is sent through each channel until it has arrived, or was given up.
CREATE TABLE alert_delivery (
    id INTEGER PRIMARY KEY,
    alert_id INTEGER NOT NULL REFERENCES alert(id) ON DELETE CASCADE,
    is_over INTEGER NOT NULL,
    channel TEXT NOT NULL, -- file, command, post
    tries INTEGER NOT NULL DEFAULT 0,
    next_at TEXT, -- null when it is done, or given up
    delivered_at TEXT,
    problem TEXT -- of the last try; with neither of the two above, it was given up
);
CREATE INDEX alert_delivery_due ON alert_delivery(next_at) WHERE next_at IS NOT NULL;
CREATE INDEX alert_delivery_of ON alert_delivery(alert_id);
