-- +goose Up
-- An address that shows one part's report to whoever has it, for a while.
CREATE TABLE links (
  id         BIGINT AUTO_INCREMENT PRIMARY KEY,
  part_id    BIGINT       NOT NULL,
  token_hash CHAR(64)     NOT NULL UNIQUE,
  created_by VARCHAR(100) NOT NULL,
  created_at DATETIME(6)  NOT NULL,
  expires_at DATETIME(6)  NOT NULL,
  KEY links_part (part_id, id),
  CONSTRAINT links_part FOREIGN KEY (part_id) REFERENCES parts (id)
);

-- Whom to tell when a batch is done or a question opens, and what is still to be told.
CREATE TABLE hooks (
  id         BIGINT AUTO_INCREMENT PRIMARY KEY,
  url        VARCHAR(500) NOT NULL,
  secret     CHAR(64)     NOT NULL,
  created_by VARCHAR(100) NOT NULL,
  created_at DATETIME(6)  NOT NULL
);
CREATE TABLE deliveries (
  id         BIGINT AUTO_INCREMENT PRIMARY KEY,
  hook_id    BIGINT       NOT NULL,
  event      VARCHAR(40)  NOT NULL,
  body       TEXT         NOT NULL,
  state      VARCHAR(10)  NOT NULL DEFAULT 'waiting',
  attempts   INT          NOT NULL DEFAULT 0,
  next_at    DATETIME(6)  NOT NULL,
  error      VARCHAR(500) NOT NULL DEFAULT '',
  created_at DATETIME(6)  NOT NULL,
  KEY deliveries_due (state, next_at),
  CONSTRAINT deliveries_hook FOREIGN KEY (hook_id) REFERENCES hooks (id) ON DELETE CASCADE
);

-- +goose Down
DROP TABLE deliveries, hooks, links;
