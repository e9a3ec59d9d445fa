-- +goose Up
ALTER TABLE releases ADD COLUMN consent TEXT NOT NULL DEFAULT '';
ALTER TABLE releases ADD COLUMN held TEXT NOT NULL DEFAULT '';
ALTER TABLE revisions ADD COLUMN recipe TEXT NOT NULL DEFAULT '';
-- +goose Down
ALTER TABLE revisions DROP COLUMN recipe;
ALTER TABLE releases DROP COLUMN held;
ALTER TABLE releases DROP COLUMN consent;
