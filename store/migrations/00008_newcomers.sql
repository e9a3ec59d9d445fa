-- +goose Up
ALTER TABLE task_facts ADD COLUMN newcomers TEXT NOT NULL DEFAULT '';
-- +goose Down
ALTER TABLE task_facts DROP COLUMN newcomers;
