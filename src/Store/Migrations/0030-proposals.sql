-- Searches for what to change in a book's database, what they found, and what trials told of it.
CREATE TABLE proposal_search (
    id INTEGER PRIMARY KEY,
    book_id INTEGER NOT NULL REFERENCES book(id) ON DELETE CASCADE,
    workload TEXT NOT NULL,
    asked TEXT NOT NULL, -- JSON: what is looked for, and under which limits
    next TEXT NOT NULL, -- JSON: what is done when its turn comes
    state TEXT NOT NULL CHECK (state IN ('waiting', 'running', 'finished', 'refused', 'cancelled', 'interrupted')),
    created_at TEXT NOT NULL,
    started_at TEXT,
    finished_at TEXT,
    message TEXT,
    notes TEXT NOT NULL DEFAULT '[]', -- JSON
    together TEXT, -- JSON: what all of the set bring
    together_trial INTEGER REFERENCES trial(id) ON DELETE SET NULL
);
CREATE INDEX proposal_search_book ON proposal_search(book_id, id);
CREATE INDEX proposal_search_trial ON proposal_search(together_trial) WHERE together_trial IS NOT NULL;
CREATE TABLE proposal (
    search_id INTEGER NOT NULL REFERENCES proposal_search(id) ON DELETE CASCADE,
    number INTEGER NOT NULL,
    content TEXT NOT NULL, -- JSON
    trial_id INTEGER REFERENCES trial(id) ON DELETE SET NULL,
    PRIMARY KEY (search_id, number)
) WITHOUT ROWID;
CREATE INDEX proposal_trial ON proposal(trial_id) WHERE trial_id IS NOT NULL;
-- What somebody turned down. It stays until it is taken back, and rests while its statements and tables are what they were.
CREATE TABLE proposal_turned_down (
    id INTEGER PRIMARY KEY,
    book_id INTEGER NOT NULL REFERENCES book(id) ON DELETE CASCADE,
    kind TEXT NOT NULL,
    title TEXT NOT NULL,
    sql TEXT NOT NULL,
    ground TEXT, -- JSON
    author TEXT NOT NULL,
    why TEXT NOT NULL,
    at TEXT NOT NULL,
    taken_back_at TEXT
);
CREATE UNIQUE INDEX proposal_turned_down_once ON proposal_turned_down(book_id, kind, sql) WHERE taken_back_at IS NULL;
