-- +goose Up
-- Printing processes that were changed, or added, beside those that come along.
CREATE TABLE processes (
  name       VARCHAR(40)  PRIMARY KEY,
  limits     JSON         NOT NULL,
  changed_by VARCHAR(100) NOT NULL,
  changed_at DATETIME(6)  NOT NULL
);
ALTER TABLE batches ADD KEY batches_process (process, id);

-- When somebody last looked at what a link shows.
ALTER TABLE links ADD COLUMN opened_at DATETIME(6) NULL;

-- How much material hollowing took out on the way to a revision.
ALTER TABLE revisions ADD COLUMN hollowed_mm3 DOUBLE NOT NULL DEFAULT 0;

-- Insights go over all parts since a day.
ALTER TABLE parts ADD KEY parts_since (created_at);

-- The audit trail is read by who, what and which part, newest first.
ALTER TABLE audit ADD KEY audit_person (person, id), ADD KEY audit_action (action, id), ADD KEY audit_part (part_id, id);

-- +goose Down
ALTER TABLE audit DROP KEY audit_person, DROP KEY audit_action, DROP KEY audit_part;
ALTER TABLE parts DROP KEY parts_since;
ALTER TABLE revisions DROP COLUMN hollowed_mm3;
ALTER TABLE links DROP COLUMN opened_at;
ALTER TABLE batches DROP KEY batches_process;
DROP TABLE processes;
