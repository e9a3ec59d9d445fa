-- +goose Up
CREATE TABLE connections (
  id INTEGER PRIMARY KEY AUTOINCREMENT,
  name TEXT NOT NULL UNIQUE,
  kind TEXT NOT NULL,
  address TEXT NOT NULL,
  secret_env TEXT NOT NULL DEFAULT '',
  secret_file TEXT NOT NULL DEFAULT '',
  created_at DATETIME NOT NULL
);
CREATE TABLE period_codes (
  id INTEGER PRIMARY KEY AUTOINCREMENT,
  name TEXT NOT NULL UNIQUE,
  source TEXT NOT NULL,
  count INTEGER NOT NULL,
  first TEXT NOT NULL,
  last TEXT NOT NULL,
  days BLOB NOT NULL,
  created_at DATETIME NOT NULL
);
-- +goose Down
DROP TABLE connections;
DROP TABLE period_codes;
