-- What was decided, as it was decided: the first of a trial when it ended, later ones when somebody asked to decide anew.
CREATE TABLE settlement (
    trial_id INTEGER NOT NULL REFERENCES trial(id) ON DELETE CASCADE,
    number INTEGER NOT NULL,
    decided_at TEXT NOT NULL,
    rules INTEGER NOT NULL,
    headline TEXT NOT NULL,
    bill TEXT,
    decisions TEXT NOT NULL,
    PRIMARY KEY (trial_id, number)
) WITHOUT ROWID;

-- Before, verdicts and sentences stood at the lines, and notices nowhere: rules 0.
INSERT INTO settlement (trial_id, number, decided_at, rules, headline, decisions)
SELECT t.id, 1, coalesce(t.finished_at, t.created_at), 0, t.headline,
       json_group_object(l.number, json_object(
           'verdict', l.verdict, 'basis', coalesce(l.basis, 'time'),
           'reason', CASE WHEN l.message IS NULL THEN NULL ELSE json_object('code', 'asTold', 'sentence', l.message) END,
           'notices', json('[]')))
FROM trial t JOIN line l ON l.trial_id = t.id
WHERE t.headline IS NOT NULL AND l.verdict IS NOT NULL
GROUP BY t.id;

ALTER TABLE line DROP COLUMN verdict;
ALTER TABLE line DROP COLUMN basis;
ALTER TABLE line DROP COLUMN message;
ALTER TABLE trial DROP COLUMN headline;
