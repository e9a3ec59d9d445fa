-- +goose Up
CREATE TABLE scenarios (
  id INTEGER PRIMARY KEY AUTOINCREMENT,
  name TEXT NOT NULL,
  dataset_id INTEGER NOT NULL REFERENCES datasets(id) ON DELETE CASCADE,
  revision_id INTEGER NOT NULL REFERENCES revisions(id) ON DELETE CASCADE,
  bakeoff_id INTEGER NOT NULL REFERENCES bakeoffs(id) ON DELETE CASCADE,
  release_id INTEGER NOT NULL DEFAULT 0,
  job_id INTEGER NOT NULL,
  contender TEXT NOT NULL,
  horizon INTEGER NOT NULL,
  levels TEXT NOT NULL,
  fill TEXT NOT NULL,
  cases TEXT NOT NULL,
  cautions TEXT NOT NULL,
  state TEXT NOT NULL,
  created_at DATETIME NOT NULL
);
CREATE TABLE scenario_parts (
  scenario_id INTEGER NOT NULL REFERENCES scenarios(id) ON DELETE CASCADE,
  part INTEGER NOT NULL,
  data BLOB NOT NULL,
  PRIMARY KEY (scenario_id, part)
);
-- +goose Down
DROP TABLE scenario_parts;
DROP TABLE scenarios;
