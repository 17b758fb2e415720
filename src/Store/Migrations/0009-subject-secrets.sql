-- Passwords of subjects on servers, encrypted by whoever keeps them here: the ledger never sees them in clear.
CREATE TABLE subject_secret (
    address TEXT PRIMARY KEY,
    protected TEXT NOT NULL,
    kept_at TEXT NOT NULL
) WITHOUT ROWID;
