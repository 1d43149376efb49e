-- +goose Up
-- A batch is settled once its files have been looked at together, too.
ALTER TABLE batches ADD COLUMN settled BOOLEAN NOT NULL DEFAULT FALSE;

-- +goose Down
ALTER TABLE batches DROP COLUMN settled;
