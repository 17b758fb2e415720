-- What a rehearsal's change makes of the schema, in the engine's own words.
ALTER TABLE rehearsal ADD COLUMN brings TEXT;
