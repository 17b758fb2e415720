-- The ledger of a book: entries that are only ever added. Each line holds the digest of the one before.
CREATE TABLE entry (
    book_id INTEGER NOT NULL REFERENCES book(id) ON DELETE RESTRICT,
    number INTEGER NOT NULL,
    line TEXT NOT NULL, -- canonical JSON, swift-ledger/entry/1
    PRIMARY KEY (book_id, number)
) WITHOUT ROWID;
CREATE TRIGGER entry_is_never_edited BEFORE UPDATE ON entry BEGIN
    SELECT raise(ABORT, 'An entry is never edited: a correction is another entry.');
END;
CREATE TRIGGER entry_is_never_deleted BEFORE DELETE ON entry BEGIN
    SELECT raise(ABORT, 'An entry is never deleted: a withdrawal is another entry.');
END;
