-- What is done for a book again and again: a capture read, a server watched.
CREATE TABLE round (
    id INTEGER PRIMARY KEY,
    book_id INTEGER NOT NULL REFERENCES book(id) ON DELETE CASCADE,
    name TEXT NOT NULL,
    kind TEXT NOT NULL, -- capture, watch
    what TEXT NOT NULL, -- JSON: files and how to read them, or for how long to look
    every_seconds REAL NOT NULL,
    next_at TEXT NOT NULL,
    runs INTEGER NOT NULL DEFAULT 0,
    last_at TEXT,
    told TEXT, -- what came of the last one
    problem TEXT, -- what went wrong in it; null where nothing did
    UNIQUE (book_id, name)
);
