-- +goose Up
-- People may be locked out for a while after wrong passwords, or for good.
ALTER TABLE people
  ADD COLUMN failures     INT         NOT NULL DEFAULT 0,
  ADD COLUMN locked_until DATETIME(6) NULL,
  ADD COLUMN active       BOOLEAN     NOT NULL DEFAULT TRUE;
UPDATE people SET role = 'administrator' WHERE role = 'operator' ORDER BY id LIMIT 1;

-- Personal tokens, for programs; only their hashes are kept.
CREATE TABLE tokens (
  id         BIGINT AUTO_INCREMENT PRIMARY KEY,
  person_id  BIGINT       NOT NULL,
  name       VARCHAR(100) NOT NULL,
  token_hash CHAR(64)     NOT NULL UNIQUE,
  scope      VARCHAR(16)  NOT NULL,
  created_at DATETIME(6)  NOT NULL,
  expires_at DATETIME(6)  NOT NULL,
  used_at    DATETIME(6)  NULL,
  CONSTRAINT tokens_person FOREIGN KEY (person_id) REFERENCES people (id) ON DELETE CASCADE
);

-- Sign-off of a part's revision: proposed, then approved or sent back; withdrawn when
-- the part changes afterwards.
CREATE TABLE signoffs (
  id          BIGINT AUTO_INCREMENT PRIMARY KEY,
  part_id     BIGINT        NOT NULL,
  revision    INT           NOT NULL,
  state       VARCHAR(10)   NOT NULL,
  proposed_by VARCHAR(100)  NOT NULL,
  proposed_at DATETIME(6)   NOT NULL,
  decided_by  VARCHAR(100)  NOT NULL DEFAULT '',
  decided_at  DATETIME(6)   NULL,
  remark      VARCHAR(1000) NOT NULL DEFAULT '',
  KEY signoffs_part (part_id, id),
  CONSTRAINT signoffs_part FOREIGN KEY (part_id) REFERENCES parts (id)
);

CREATE TABLE notes (
  id         BIGINT AUTO_INCREMENT PRIMARY KEY,
  part_id    BIGINT        NOT NULL,
  kind       VARCHAR(40)   NOT NULL DEFAULT '',
  text       VARCHAR(4000) NOT NULL,
  created_by VARCHAR(100)  NOT NULL,
  created_at DATETIME(6)   NOT NULL,
  KEY notes_part (part_id, id),
  CONSTRAINT notes_part FOREIGN KEY (part_id) REFERENCES parts (id)
);

-- What a part is found by: its name, its batch, its customer, notes and answers.
ALTER TABLE parts
  ADD COLUMN signed VARCHAR(10) NOT NULL DEFAULT '',
  ADD COLUMN words  TEXT        NOT NULL DEFAULT '',
  ADD FULLTEXT KEY parts_words (words);
UPDATE parts p JOIN batches b ON b.id = p.batch_id SET p.words = CONCAT_WS(' ', p.name, b.name, b.customer);
ALTER TABLE revisions
  ADD COLUMN marked_sha256 VARCHAR(64) NOT NULL DEFAULT '', -- a picture with the errors marked
  ADD KEY revisions_verdict (verdict, part_id);

-- A batch that was sent twice under one key, because the answer was lost, is one batch.
ALTER TABLE batches ADD COLUMN request_key VARCHAR(100) NULL, ADD UNIQUE KEY batches_request (created_by, request_key);

-- Each line of the audit trail carries a hash over itself and the line before it. The
-- one row of chain is where it ends; it is locked while a line is added.
ALTER TABLE audit ADD COLUMN hash CHAR(64) NOT NULL DEFAULT '';
CREATE TABLE chain (
  id   INT         NOT NULL PRIMARY KEY,
  hash VARCHAR(64) NOT NULL
);
INSERT INTO chain VALUES (1, '');

-- +goose Down
DROP TABLE chain, notes, signoffs, tokens;
ALTER TABLE audit DROP COLUMN hash;
ALTER TABLE revisions DROP KEY revisions_verdict, DROP COLUMN marked_sha256;
ALTER TABLE parts DROP KEY parts_words, DROP COLUMN words, DROP COLUMN signed;
ALTER TABLE batches DROP KEY batches_request, DROP COLUMN request_key;
ALTER TABLE people DROP COLUMN failures, DROP COLUMN locked_until, DROP COLUMN active;
