-- Plans that patterns ran with, told apart by their shape; text is one of them as the capture had it.
CREATE TABLE captured_plan (
    id INTEGER PRIMARY KEY,
    pattern_id INTEGER NOT NULL REFERENCES pattern(id) ON DELETE CASCADE,
    shape TEXT NOT NULL,
    outline TEXT NOT NULL,
    text TEXT NOT NULL,
    UNIQUE (pattern_id, shape)
);

-- When each was in use: executions whose plan the capture holds, by hours (minutes since 1970 UTC), and their time in ticks.
CREATE TABLE plan_use (
    plan_id INTEGER NOT NULL REFERENCES captured_plan(id) ON DELETE CASCADE,
    source_id INTEGER NOT NULL REFERENCES source(id) ON DELETE CASCADE,
    hour INTEGER NOT NULL,
    calls INTEGER NOT NULL,
    total INTEGER NOT NULL,
    PRIMARY KEY (plan_id, source_id, hour)
) WITHOUT ROWID;

-- How the number of repetitions goes with the size of the list before them: sums over the units that tell it. A write that follows each
-- of the repeated statements, where there is one.
ALTER TABLE repeat ADD COLUMN then_id INTEGER REFERENCES pattern(id) ON DELETE CASCADE;
ALTER TABLE repeat ADD COLUMN lists INTEGER NOT NULL DEFAULT 0;
ALTER TABLE repeat ADD COLUMN list_rows INTEGER NOT NULL DEFAULT 0;
ALTER TABLE repeat ADD COLUMN list_rows_squared INTEGER NOT NULL DEFAULT 0;
ALTER TABLE repeat ADD COLUMN list_repeats INTEGER NOT NULL DEFAULT 0;
ALTER TABLE repeat ADD COLUMN list_rows_by_repeats INTEGER NOT NULL DEFAULT 0;
DROP INDEX repeat_key;
CREATE UNIQUE INDEX repeat_key ON repeat(source_id, repeated_id, coalesce(before_id, 0), coalesce(then_id, 0));

-- The subject's schema as it was read last: another one means that something was deployed.
CREATE TABLE known_schema (
    book_id INTEGER PRIMARY KEY REFERENCES book(id) ON DELETE CASCADE,
    read_at TEXT NOT NULL,
    objects TEXT NOT NULL
);
