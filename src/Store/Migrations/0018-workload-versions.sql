-- What a book's workload was, so that it can be taken back.
CREATE TABLE workload_version (
    id INTEGER PRIMARY KEY,
    book_id INTEGER NOT NULL REFERENCES book(id) ON DELETE CASCADE,
    kept_at TEXT NOT NULL,
    why TEXT NOT NULL,
    text TEXT NOT NULL
);
CREATE INDEX workload_version_book ON workload_version(book_id, id);
