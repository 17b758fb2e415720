-- Who sent statements: beside each source stand those of its statements that came from one database, user and application, as sources of
-- their own with hours and days. kind: 0 the source itself, 1 an application, 2 this program, 3 the engine's housekeeping; 2 and 3 stand
-- there alone, and are in no sum. Their names are JSON lists of all that tells them apart.
ALTER TABLE source ADD COLUMN kind INTEGER NOT NULL DEFAULT 0;
ALTER TABLE source ADD COLUMN of_source INTEGER REFERENCES source(id) ON DELETE CASCADE;
ALTER TABLE source ADD COLUMN database TEXT NOT NULL DEFAULT '';
ALTER TABLE source ADD COLUMN user TEXT NOT NULL DEFAULT '';
ALTER TABLE source ADD COLUMN application TEXT NOT NULL DEFAULT '';
CREATE INDEX source_of ON source(of_source) WHERE of_source IS NOT NULL;
