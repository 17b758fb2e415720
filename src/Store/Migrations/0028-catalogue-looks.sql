-- A change that a look at the subject's schema noticed happened at some time before that look.
ALTER TABLE deployment ADD COLUMN after_at INTEGER; -- ticks: the look before, at which it was not there yet; null where its time is known
ALTER TABLE deployment ADD COLUMN looked_at INTEGER; -- ticks: the look that noticed it, also once its time is known
ALTER TABLE deployment ADD COLUMN objects TEXT; -- JSON: the names of what differed at that look
ALTER TABLE deployment ADD COLUMN seen TEXT NOT NULL DEFAULT '[]'; -- JSON: names in its script that a look has seen since: what differs in them later is another change

-- What a trial's change makes of the schema, in the engine's own words.
ALTER TABLE trial ADD COLUMN brings TEXT;
