-- Plans are kept by their operators alone. The table is made anew, since ledgers are about that have the text of one execution beside them, and others that do not.
CREATE TABLE captured_plan_anew (
    id INTEGER PRIMARY KEY,
    pattern_id INTEGER NOT NULL REFERENCES pattern(id) ON DELETE CASCADE,
    shape TEXT NOT NULL,
    outline TEXT NOT NULL,
    UNIQUE (pattern_id, shape)
);
INSERT INTO captured_plan_anew SELECT id, pattern_id, shape, outline FROM captured_plan;
DROP TABLE captured_plan;
ALTER TABLE captured_plan_anew RENAME TO captured_plan;
