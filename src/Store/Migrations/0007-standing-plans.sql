-- The plan that a team accepts for a statement of a book.
CREATE TABLE standing_plan (
    book_id INTEGER NOT NULL REFERENCES book(id) ON DELETE CASCADE,
    pattern INTEGER NOT NULL,
    shape TEXT NOT NULL,
    outline TEXT NOT NULL,
    note TEXT NOT NULL,
    accepted_at TEXT NOT NULL,
    PRIMARY KEY (book_id, pattern)
) WITHOUT ROWID;

-- Rewrites that hold a statement to a plan until somebody replaces them with a real fix.
CREATE TABLE pin (
    id INTEGER PRIMARY KEY,
    book_id INTEGER NOT NULL REFERENCES book(id) ON DELETE CASCADE,
    pattern INTEGER NOT NULL,
    statement TEXT NOT NULL,
    sql TEXT NOT NULL,
    shape TEXT NOT NULL,
    trial_id INTEGER NOT NULL,
    pinned_at TEXT NOT NULL,
    replaced_at TEXT
);
