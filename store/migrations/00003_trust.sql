-- +goose Up
-- What is stored of a task has another form from here on: bake-offs run anew.
DROP TABLE results;
CREATE TABLE results (
  bakeoff_id INTEGER NOT NULL REFERENCES bakeoffs(id) ON DELETE CASCADE,
  win INTEGER NOT NULL,
  contender INTEGER NOT NULL,
  shard INTEGER NOT NULL,
  errors BLOB NOT NULL,
  scores BLOB NOT NULL,
  forecasts BLOB NOT NULL,
  PRIMARY KEY (bakeoff_id, win, contender, shard)
);
-- Apart from the large arrays, so that reading them does not pass over those.
CREATE TABLE task_facts (
  bakeoff_id INTEGER NOT NULL REFERENCES bakeoffs(id) ON DELETE CASCADE,
  win INTEGER NOT NULL,
  contender INTEGER NOT NULL,
  shard INTEGER NOT NULL,
  filled TEXT NOT NULL,
  tuned TEXT NOT NULL,
  took INTEGER NOT NULL,
  bytes INTEGER NOT NULL,
  PRIMARY KEY (bakeoff_id, win, contender, shard)
) WITHOUT ROWID;
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
DROP TABLE task_facts;
