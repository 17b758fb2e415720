-- A trial at a glance, for lists: its lines' changes, shares of the bill and verdicts.
ALTER TABLE settlement ADD COLUMN stems TEXT;

-- Plans and statements that were compared without a trial, so that their page has an address.
CREATE TABLE pasted (
    id INTEGER PRIMARY KEY,
    digest TEXT NOT NULL UNIQUE,
    pasted_at TEXT NOT NULL,
    request TEXT NOT NULL
);
