CREATE TABLE book (
    id INTEGER PRIMARY KEY,
    name TEXT NOT NULL,
    subject TEXT NOT NULL UNIQUE,
    workload TEXT NOT NULL,
    created_at TEXT NOT NULL
);

CREATE TABLE change (
    id INTEGER PRIMARY KEY,
    book_id INTEGER NOT NULL REFERENCES book(id) ON DELETE CASCADE,
    title TEXT NOT NULL,
    note TEXT NOT NULL,
    text TEXT NOT NULL,
    created_at TEXT NOT NULL,
    UNIQUE (book_id, text)
);

CREATE TABLE trial (
    id INTEGER PRIMARY KEY,
    book_id INTEGER NOT NULL REFERENCES book(id) ON DELETE CASCADE,
    change_id INTEGER REFERENCES change(id) ON DELETE SET NULL,
    title TEXT NOT NULL,
    workload TEXT NOT NULL,
    change_text TEXT NOT NULL,
    options TEXT NOT NULL,
    state TEXT NOT NULL,
    created_at TEXT NOT NULL,
    started_at TEXT,
    finished_at TEXT,
    headline TEXT,
    message TEXT,
    environment TEXT,
    problems TEXT,
    done TEXT
);
CREATE INDEX trial_book ON trial(book_id, id);
CREATE INDEX trial_state ON trial(state);

CREATE TABLE applied_step (
    trial_id INTEGER NOT NULL REFERENCES trial(id) ON DELETE CASCADE,
    number INTEGER NOT NULL,
    sql TEXT NOT NULL,
    seconds REAL NOT NULL,
    PRIMARY KEY (trial_id, number)
) WITHOUT ROWID;

CREATE TABLE line (
    trial_id INTEGER NOT NULL REFERENCES trial(id) ON DELETE CASCADE,
    number INTEGER NOT NULL,
    before TEXT,
    after TEXT,
    ended TEXT,
    verdict TEXT,
    basis TEXT,
    message TEXT,
    PRIMARY KEY (trial_id, number)
) WITHOUT ROWID;

-- One row a block: one batch on each side. Session 1 measures, session 2 confirms.
CREATE TABLE sample (
    trial_id INTEGER NOT NULL,
    line INTEGER NOT NULL,
    session INTEGER NOT NULL,
    number INTEGER NOT NULL,
    at_seconds REAL NOT NULL,
    before_first INTEGER NOT NULL,
    before_us REAL NOT NULL,
    after_us REAL NOT NULL,
    before_cpu_us REAL NOT NULL,
    after_cpu_us REAL NOT NULL,
    switches INTEGER NOT NULL,
    stolen_ms REAL NOT NULL,
    left_out INTEGER NOT NULL,
    PRIMARY KEY (trial_id, line, session, number),
    FOREIGN KEY (trial_id, line) REFERENCES line(trial_id, number) ON DELETE CASCADE
) WITHOUT ROWID;
