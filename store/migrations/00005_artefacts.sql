-- +goose Up
ALTER TABLE bakeoffs ADD COLUMN versions TEXT NOT NULL DEFAULT '';
CREATE TABLE artefacts (
  id INTEGER PRIMARY KEY AUTOINCREMENT,
  key TEXT NOT NULL UNIQUE,
  contender TEXT NOT NULL,
  series INTEGER NOT NULL,
  bytes INTEGER NOT NULL,
  ready BOOLEAN NOT NULL,
  used_at DATETIME NOT NULL
);
CREATE TABLE artefact_parts (
  artefact_id INTEGER NOT NULL REFERENCES artefacts(id) ON DELETE CASCADE,
  part INTEGER NOT NULL,
  data BLOB NOT NULL,
  PRIMARY KEY (artefact_id, part)
);
CREATE TABLE checkpoints (
  job_id INTEGER NOT NULL REFERENCES jobs(id) ON DELETE CASCADE,
  task TEXT NOT NULL,
  data BLOB NOT NULL,
  PRIMARY KEY (job_id, task)
);
-- +goose Down
DROP TABLE checkpoints;
DROP TABLE artefact_parts;
DROP TABLE artefacts;
ALTER TABLE bakeoffs DROP COLUMN versions;
