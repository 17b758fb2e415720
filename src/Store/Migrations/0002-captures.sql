-- A book may begin with a capture alone: its subject can be named later.
CREATE TABLE book_with_captures (
    id INTEGER PRIMARY KEY,
    name TEXT NOT NULL,
    subject TEXT UNIQUE,
    workload TEXT NOT NULL,
    created_at TEXT NOT NULL
);
INSERT INTO book_with_captures SELECT id, name, subject, workload, created_at FROM book;
DROP TABLE book;
ALTER TABLE book_with_captures RENAME TO book;

-- One server or application instance.
CREATE TABLE source (
    id INTEGER PRIMARY KEY,
    book_id INTEGER NOT NULL REFERENCES book(id) ON DELETE CASCADE,
    name TEXT NOT NULL,
    UNIQUE (book_id, name)
);

-- hash 0 stands for everything that is not kept apart.
CREATE TABLE pattern (
    id INTEGER PRIMARY KEY,
    book_id INTEGER NOT NULL REFERENCES book(id) ON DELETE CASCADE,
    hash INTEGER NOT NULL,
    text TEXT NOT NULL,
    kind TEXT NOT NULL,
    tables TEXT NOT NULL,
    kept_at_top INTEGER NOT NULL DEFAULT 0,
    UNIQUE (book_id, hash)
);

-- What was executed in one stretch of time: 1 a minute, 2 an hour, 3 a day. pattern_id 0 sums all patterns.
-- Times are minutes since 1970 UTC, durations ticks of 100 ns.
CREATE TABLE cell (
    stretch INTEGER NOT NULL,
    source_id INTEGER NOT NULL REFERENCES source(id) ON DELETE CASCADE,
    minute INTEGER NOT NULL,
    pattern_id INTEGER NOT NULL,
    calls INTEGER NOT NULL,
    errors INTEGER NOT NULL,
    timed INTEGER NOT NULL,
    total INTEGER NOT NULL,
    longest INTEGER NOT NULL,
    rows_returned INTEGER,
    rows_read INTEGER,
    rows_written INTEGER,
    durations BLOB NOT NULL,
    PRIMARY KEY (stretch, source_id, minute, pattern_id)
) WITHOUT ROWID;

-- The course of one pattern goes by hours and days; single minutes are asked for in short spans only.
CREATE INDEX cell_pattern_hour ON cell(pattern_id, minute) WHERE stretch = 2;
CREATE INDEX cell_pattern_day ON cell(pattern_id, minute) WHERE stretch = 3;

CREATE TABLE captured_sample (
    id INTEGER PRIMARY KEY,
    pattern_id INTEGER NOT NULL REFERENCES pattern(id) ON DELETE CASCADE,
    source_id INTEGER NOT NULL REFERENCES source(id) ON DELETE CASCADE,
    place INTEGER NOT NULL,
    at INTEGER NOT NULL,
    duration INTEGER,
    sql TEXT NOT NULL,
    binds TEXT NOT NULL,
    rows_returned INTEGER,
    rows_read INTEGER,
    sql_state TEXT NOT NULL,
    message TEXT NOT NULL,
    session TEXT NOT NULL,
    unit TEXT NOT NULL,
    application TEXT NOT NULL,
    database TEXT NOT NULL,
    user TEXT NOT NULL,
    tags TEXT NOT NULL,
    plan TEXT NOT NULL,
    priority INTEGER NOT NULL
);
CREATE INDEX captured_sample_pattern ON captured_sample(pattern_id, place);

CREATE TABLE tag_count (
    pattern_id INTEGER NOT NULL REFERENCES pattern(id) ON DELETE CASCADE,
    source_id INTEGER NOT NULL REFERENCES source(id) ON DELETE CASCADE,
    key TEXT NOT NULL,
    value TEXT NOT NULL,
    calls INTEGER NOT NULL,
    PRIMARY KEY (pattern_id, source_id, key, value)
) WITHOUT ROWID;

CREATE TABLE error_count (
    pattern_id INTEGER NOT NULL REFERENCES pattern(id) ON DELETE CASCADE,
    source_id INTEGER NOT NULL REFERENCES source(id) ON DELETE CASCADE,
    hour INTEGER NOT NULL,
    sql_state TEXT NOT NULL,
    calls INTEGER NOT NULL,
    PRIMARY KEY (pattern_id, source_id, hour, sql_state)
) WITHOUT ROWID;

CREATE TABLE deployment (
    id INTEGER PRIMARY KEY,
    book_id INTEGER NOT NULL REFERENCES book(id) ON DELETE CASCADE,
    at INTEGER NOT NULL,
    version TEXT NOT NULL,
    what TEXT NOT NULL,
    script TEXT NOT NULL,
    noticed INTEGER NOT NULL
);
CREATE INDEX deployment_book ON deployment(book_id, at);

-- How far a file was read, so that nothing is counted twice: it is known again by its first bytes, under whatever name.
CREATE TABLE capture_file (
    id INTEGER PRIMARY KEY,
    book_id INTEGER NOT NULL REFERENCES book(id) ON DELETE CASCADE,
    source TEXT NOT NULL,
    name TEXT NOT NULL,
    form TEXT NOT NULL,
    head_length INTEGER NOT NULL,
    head_hash BLOB NOT NULL,
    read_to INTEGER NOT NULL,
    lines INTEGER NOT NULL,
    statements INTEGER NOT NULL,
    read_at TEXT NOT NULL,
    rejections TEXT NOT NULL
);
CREATE INDEX capture_file_book ON capture_file(book_id);

CREATE TABLE note (
    id INTEGER PRIMARY KEY,
    pattern_id INTEGER NOT NULL REFERENCES pattern(id) ON DELETE CASCADE,
    text TEXT NOT NULL,
    written_at TEXT NOT NULL
);
CREATE INDEX note_pattern ON note(pattern_id);

-- Units of work that send one pattern again and again. before_id is null where the unit begins with it.
CREATE TABLE repeat (
    id INTEGER PRIMARY KEY,
    source_id INTEGER NOT NULL REFERENCES source(id) ON DELETE CASCADE,
    before_id INTEGER REFERENCES pattern(id) ON DELETE CASCADE,
    repeated_id INTEGER NOT NULL REFERENCES pattern(id) ON DELETE CASCADE,
    units INTEGER NOT NULL,
    statements INTEGER NOT NULL,
    least INTEGER NOT NULL,
    most INTEGER NOT NULL,
    total INTEGER NOT NULL,
    gap INTEGER NOT NULL,
    gaps INTEGER NOT NULL,
    one_for_each_row INTEGER NOT NULL,
    example TEXT NOT NULL
);
CREATE UNIQUE INDEX repeat_key ON repeat(source_id, repeated_id, coalesce(before_id, 0));
