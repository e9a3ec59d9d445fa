-- +goose Up
CREATE TABLE datasets (
  id INTEGER PRIMARY KEY AUTOINCREMENT,
  name TEXT NOT NULL UNIQUE,
  created_at DATETIME NOT NULL
);
CREATE TABLE revisions (
  id INTEGER PRIMARY KEY AUTOINCREMENT,
  dataset_id INTEGER NOT NULL REFERENCES datasets(id) ON DELETE CASCADE,
  number INTEGER NOT NULL,
  hash TEXT NOT NULL,
  source TEXT NOT NULL,
  row_count INTEGER NOT NULL,
  series_count INTEGER NOT NULL,
  value_count INTEGER NOT NULL,
  meta TEXT NOT NULL,
  changes TEXT NOT NULL,
  created_at DATETIME NOT NULL,
  UNIQUE (dataset_id, number)
);
CREATE TABLE revision_chunks (
  revision_id INTEGER NOT NULL REFERENCES revisions(id) ON DELETE CASCADE,
  chunk INTEGER NOT NULL,
  data BLOB NOT NULL,
  PRIMARY KEY (revision_id, chunk)
);
CREATE TABLE jobs (
  id INTEGER PRIMARY KEY AUTOINCREMENT,
  kind TEXT NOT NULL,
  ref_id INTEGER NOT NULL,
  state TEXT NOT NULL,
  done INTEGER NOT NULL DEFAULT 0,
  total INTEGER NOT NULL DEFAULT 0,
  error TEXT NOT NULL DEFAULT '',
  created_at DATETIME NOT NULL,
  started_at DATETIME,
  finished_at DATETIME
);
CREATE TABLE bakeoffs (
  id INTEGER PRIMARY KEY AUTOINCREMENT,
  name TEXT NOT NULL,
  dataset_id INTEGER NOT NULL REFERENCES datasets(id) ON DELETE CASCADE,
  revision_id INTEGER NOT NULL REFERENCES revisions(id) ON DELETE CASCADE,
  plan TEXT NOT NULL,
  job_id INTEGER NOT NULL REFERENCES jobs(id),
  created_at DATETIME NOT NULL
);
CREATE TABLE results (
  bakeoff_id INTEGER NOT NULL REFERENCES bakeoffs(id) ON DELETE CASCADE,
  win INTEGER NOT NULL,
  contender INTEGER NOT NULL,
  shard INTEGER NOT NULL,
  scores BLOB NOT NULL,
  filled TEXT NOT NULL,
  forecasts BLOB NOT NULL,
  PRIMARY KEY (bakeoff_id, win, contender, shard)
);
CREATE TABLE releases (
  id INTEGER PRIMARY KEY AUTOINCREMENT,
  dataset_id INTEGER NOT NULL REFERENCES datasets(id) ON DELETE CASCADE,
  revision_id INTEGER NOT NULL REFERENCES revisions(id) ON DELETE CASCADE,
  bakeoff_id INTEGER NOT NULL REFERENCES bakeoffs(id) ON DELETE CASCADE,
  job_id INTEGER NOT NULL REFERENCES jobs(id),
  contender TEXT NOT NULL,
  horizon INTEGER NOT NULL,
  levels TEXT NOT NULL,
  state TEXT NOT NULL,
  live TEXT NOT NULL DEFAULT '',
  created_at DATETIME NOT NULL
);
CREATE INDEX releases_by_dataset ON releases(dataset_id, state);
CREATE TABLE release_parts (
  release_id INTEGER NOT NULL REFERENCES releases(id) ON DELETE CASCADE,
  part INTEGER NOT NULL,
  notes TEXT NOT NULL,
  forecasts BLOB NOT NULL,
  PRIMARY KEY (release_id, part)
);
CREATE TABLE flags (
  id INTEGER PRIMARY KEY AUTOINCREMENT,
  release_id INTEGER NOT NULL REFERENCES releases(id) ON DELETE CASCADE,
  series TEXT NOT NULL,
  step INTEGER NOT NULL,
  period TEXT NOT NULL,
  actual REAL NOT NULL,
  forecast REAL NOT NULL,
  low REAL NOT NULL,
  high REAL NOT NULL,
  level REAL NOT NULL,
  severity REAL NOT NULL,
  rank_by REAL NOT NULL,
  state TEXT NOT NULL,
  settled_as TEXT NOT NULL DEFAULT '',
  note TEXT NOT NULL DEFAULT '',
  settled_by TEXT NOT NULL DEFAULT '',
  created_at DATETIME NOT NULL,
  settled_at DATETIME,
  UNIQUE (release_id, series, step)
);
CREATE INDEX flags_by_rank ON flags(state, rank_by DESC);
CREATE TABLE tokens (
  id INTEGER PRIMARY KEY AUTOINCREMENT,
  name TEXT NOT NULL UNIQUE,
  hash TEXT NOT NULL UNIQUE,
  role TEXT NOT NULL,
  created_at DATETIME NOT NULL
);
CREATE TABLE audits (
  id INTEGER PRIMARY KEY AUTOINCREMENT,
  at DATETIME NOT NULL,
  who TEXT NOT NULL,
  action TEXT NOT NULL,
  object TEXT NOT NULL,
  detail TEXT NOT NULL DEFAULT ''
);
CREATE TABLE replays (
  key TEXT PRIMARY KEY,
  request TEXT NOT NULL,
  status INTEGER NOT NULL,
  content_type TEXT NOT NULL,
  body BLOB NOT NULL,
  created_at DATETIME NOT NULL
);
-- +goose Down
SELECT 1;
