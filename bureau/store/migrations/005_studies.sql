-- +goose Up
-- Pictures straight from the front, to line parts up at one scale, and lighter
-- views of heavy parts.
ALTER TABLE revisions
  ADD COLUMN front_sha256 VARCHAR(64) NOT NULL DEFAULT '',
  ADD COLUMN light_sha256 VARCHAR(64) NOT NULL DEFAULT '';

-- What was worked out about revisions, and changes nothing. about is the hash of
-- what was looked at: a part whose unit changes is looked at anew.
CREATE TABLE studies (
  id            BIGINT AUTO_INCREMENT PRIMARY KEY,
  part_id       BIGINT       NOT NULL,
  kind          VARCHAR(16)  NOT NULL,
  from_revision INT          NOT NULL,
  to_revision   INT          NOT NULL,
  about         CHAR(64)     NOT NULL,
  state         VARCHAR(10)  NOT NULL DEFAULT 'queued',
  stage         VARCHAR(60)  NOT NULL DEFAULT '',
  progress      DOUBLE       NOT NULL DEFAULT 0,
  problem       TEXT         NOT NULL DEFAULT '',
  result        LONGTEXT     NULL,
  files         TEXT         NOT NULL DEFAULT '{}',
  created_by    VARCHAR(100) NOT NULL,
  created_at    DATETIME(6)  NOT NULL,
  UNIQUE KEY studies_same (part_id, kind, from_revision, to_revision, about),
  CONSTRAINT studies_part FOREIGN KEY (part_id) REFERENCES parts (id)
);

ALTER TABLE jobs
  ADD COLUMN study_id   BIGINT      NULL,
  ADD COLUMN started_at DATETIME(6) NULL,
  ADD KEY jobs_part (part_id, state);

-- +goose Down
ALTER TABLE jobs DROP COLUMN study_id, DROP COLUMN started_at, DROP KEY jobs_part;
DROP TABLE studies;
ALTER TABLE revisions DROP COLUMN front_sha256, DROP COLUMN light_sha256;
