-- The indexes that a captured plan goes through, as JSON; null of plans that were kept before they were told.
ALTER TABLE captured_plan ADD COLUMN indexes TEXT;
