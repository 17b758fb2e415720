-- What checks of a change found: budgets and rules that were kept or broken, by commit.
CREATE TABLE gate_check (
    id INTEGER PRIMARY KEY,
    book_id INTEGER NOT NULL REFERENCES book(id) ON DELETE CASCADE,
    number INTEGER NOT NULL,
    at TEXT NOT NULL,
    branch TEXT,
    commit_hash TEXT,
    uncommitted INTEGER NOT NULL,
    state TEXT NOT NULL, -- Kept, Broken, NotJudged
    headline TEXT NOT NULL,
    report TEXT NOT NULL, -- JSON: notes and items
    UNIQUE (book_id, number)
);
