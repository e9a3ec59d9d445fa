-- +goose Up
-- What is stored of a task has another form from here on: bake-offs run anew.
DELETE FROM results;
ALTER TABLE results ADD COLUMN errors BLOB NOT NULL DEFAULT '';
ALTER TABLE results ADD COLUMN tuned TEXT NOT NULL DEFAULT '';
ALTER TABLE results ADD COLUMN took INTEGER NOT NULL DEFAULT 0;
ALTER TABLE results ADD COLUMN bytes INTEGER NOT NULL DEFAULT 0;
ALTER TABLE jobs ADD COLUMN priority INTEGER NOT NULL DEFAULT 0;
UPDATE jobs SET state = 'queued', done = 0, finished_at = NULL WHERE kind = 'bake-off' AND state = 'done';
CREATE TABLE summaries (
  bakeoff_id INTEGER NOT NULL REFERENCES bakeoffs(id) ON DELETE CASCADE,
  cut TEXT NOT NULL,
  data BLOB NOT NULL,
  PRIMARY KEY (bakeoff_id, cut)
);
-- +goose Down
DROP TABLE summaries;
