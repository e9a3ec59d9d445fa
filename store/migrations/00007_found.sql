-- +goose Up
ALTER TABLE task_facts ADD COLUMN found TEXT NOT NULL DEFAULT '';
-- +goose Down
ALTER TABLE task_facts DROP COLUMN found;
