-- +goose Up
-- A repair may start from any revision, and may be single steps that a person ordered.
ALTER TABLE jobs
  ADD COLUMN from_revision INT  NOT NULL DEFAULT 0,
  ADD COLUMN steps         TEXT NOT NULL DEFAULT '[]';

-- +goose Down
ALTER TABLE jobs DROP COLUMN from_revision, DROP COLUMN steps;
