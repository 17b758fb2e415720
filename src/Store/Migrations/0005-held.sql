-- What the reader of a file held back for something that may follow, in the form's own notation.
ALTER TABLE capture_file ADD COLUMN held TEXT NOT NULL DEFAULT '';
