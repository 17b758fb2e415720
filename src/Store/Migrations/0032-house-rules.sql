-- Rules that all statements of a book have to keep, and those that were in force when a trial was asked for.
ALTER TABLE book ADD COLUMN house_rules TEXT NOT NULL DEFAULT '';
ALTER TABLE trial ADD COLUMN house_rules TEXT NOT NULL DEFAULT '';
