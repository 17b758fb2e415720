-- Scripts that are run whole on copies, with what they cost.
CREATE TABLE script_run (
    id INTEGER PRIMARY KEY,
    book_id INTEGER NOT NULL REFERENCES book(id) ON DELETE CASCADE,
    script TEXT NOT NULL,
    trusted INTEGER NOT NULL,
    state TEXT NOT NULL CHECK (state IN ('waiting', 'running', 'finished', 'refused', 'cancelled', 'interrupted')),
    created_at TEXT NOT NULL,
    started_at TEXT,
    finished_at TEXT,
    message TEXT,
    headline TEXT,
    result BLOB -- JSON, deflated
);
CREATE INDEX script_run_book ON script_run(book_id, id);
