-- Loads that are kept to be sent again, and rehearsals: each a load on copies of a book's database, with what came of it.
CREATE TABLE kept_load (
    id INTEGER PRIMARY KEY,
    book_id INTEGER NOT NULL REFERENCES book(id) ON DELETE CASCADE,
    title TEXT NOT NULL,
    note TEXT NOT NULL,
    load TEXT NOT NULL,
    change TEXT NOT NULL,
    options TEXT NOT NULL, -- JSON
    UNIQUE (book_id, title)
);
CREATE TABLE rehearsal (
    id INTEGER PRIMARY KEY,
    book_id INTEGER NOT NULL REFERENCES book(id) ON DELETE CASCADE,
    title TEXT NOT NULL,
    load TEXT NOT NULL,
    change TEXT NOT NULL,
    options TEXT NOT NULL, -- JSON
    trusted INTEGER NOT NULL,
    state TEXT NOT NULL CHECK (state IN ('waiting', 'running', 'finished', 'refused', 'cancelled', 'interrupted')),
    created_at TEXT NOT NULL,
    started_at TEXT,
    finished_at TEXT,
    message TEXT,
    headline TEXT,
    result TEXT -- the result as it was decided then, JSON
);
CREATE INDEX rehearsal_book ON rehearsal(book_id, id);
-- What its process told, as it was told: whatever is killed, this stays.
CREATE TABLE rehearsal_event (
    rehearsal_id INTEGER NOT NULL REFERENCES rehearsal(id) ON DELETE CASCADE,
    number INTEGER NOT NULL,
    content BLOB NOT NULL, -- JSON, deflated
    PRIMARY KEY (rehearsal_id, number)
) WITHOUT ROWID;
