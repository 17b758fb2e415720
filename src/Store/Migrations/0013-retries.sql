-- Failures that were followed by another try of the same statement with the same values.
ALTER TABLE error_count ADD COLUMN retried INTEGER NOT NULL DEFAULT 0;
