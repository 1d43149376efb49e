-- +goose Up
CREATE TABLE people (
  id            BIGINT AUTO_INCREMENT PRIMARY KEY,
  name          VARCHAR(100) NOT NULL UNIQUE,
  role          VARCHAR(16)  NOT NULL,
  password_hash VARCHAR(255) NOT NULL,
  created_at    DATETIME(6)  NOT NULL
);

-- A session is found by the hash of its token; the token itself is never kept.
CREATE TABLE sessions (
  token_hash CHAR(64)    NOT NULL PRIMARY KEY,
  person_id  BIGINT      NOT NULL,
  expires_at DATETIME(6) NOT NULL,
  KEY sessions_expiry (expires_at),
  CONSTRAINT sessions_person FOREIGN KEY (person_id) REFERENCES people (id) ON DELETE CASCADE
);

CREATE TABLE batches (
  id          BIGINT AUTO_INCREMENT PRIMARY KEY,
  name        VARCHAR(200) NOT NULL,
  customer    VARCHAR(200) NOT NULL,
  process     VARCHAR(40)  NOT NULL,
  auto_repair BOOLEAN      NOT NULL,
  created_by  VARCHAR(100) NOT NULL,
  created_at  DATETIME(6)  NOT NULL,
  KEY batches_customer (customer, id)
);

CREATE TABLE parts (
  id         BIGINT AUTO_INCREMENT PRIMARY KEY,
  batch_id   BIGINT       NOT NULL,
  name       VARCHAR(400) NOT NULL,
  state      VARCHAR(16)  NOT NULL,
  stage      VARCHAR(60)  NOT NULL DEFAULT '',
  progress   DOUBLE       NOT NULL DEFAULT 0,
  problem    TEXT         NOT NULL DEFAULT '',
  unit_set   VARCHAR(4)   NOT NULL DEFAULT '',
  current    INT          NOT NULL DEFAULT 0,
  format     VARCHAR(16)  NOT NULL DEFAULT '',
  bytes      BIGINT       NOT NULL,
  created_at DATETIME(6)  NOT NULL,
  updated_at DATETIME(6)  NOT NULL,
  KEY parts_batch (batch_id, id),
  CONSTRAINT parts_batch FOREIGN KEY (batch_id) REFERENCES batches (id)
);

CREATE TABLE revisions (
  id             BIGINT AUTO_INCREMENT PRIMARY KEY,
  part_id        BIGINT       NOT NULL,
  number         INT          NOT NULL,
  parent         INT          NULL,
  title          VARCHAR(300) NOT NULL,
  file_sha256    CHAR(64)     NOT NULL,
  file_bytes     BIGINT       NOT NULL,
  file_name      VARCHAR(400) NOT NULL,
  picture_sha256 VARCHAR(64)  NOT NULL DEFAULT '',
  view_sha256    VARCHAR(64)  NOT NULL DEFAULT '',
  verdict        VARCHAR(8)   NOT NULL DEFAULT '',
  triangles      INT          NOT NULL DEFAULT 0,
  size_x         DOUBLE       NOT NULL DEFAULT 0,
  size_y         DOUBLE       NOT NULL DEFAULT 0,
  size_z         DOUBLE       NOT NULL DEFAULT 0,
  report         JSON         NULL,
  repair         JSON         NULL,
  created_at     DATETIME(6)  NOT NULL,
  UNIQUE KEY revisions_number (part_id, number),
  KEY revisions_file (file_sha256),
  CONSTRAINT revisions_part FOREIGN KEY (part_id) REFERENCES parts (id)
);

CREATE TABLE findings (
  id          BIGINT AUTO_INCREMENT PRIMARY KEY,
  revision_id BIGINT       NOT NULL,
  kind        VARCHAR(40)  NOT NULL,
  severity    VARCHAR(10)  NOT NULL,
  count       INT          NOT NULL,
  summary     VARCHAR(1000) NOT NULL,
  KEY findings_kind (kind, revision_id),
  CONSTRAINT findings_revision FOREIGN KEY (revision_id) REFERENCES revisions (id) ON DELETE CASCADE
);

-- A job is taken under a lease; one whose lease has run out is taken again.
CREATE TABLE jobs (
  id          BIGINT AUTO_INCREMENT PRIMARY KEY,
  part_id     BIGINT       NOT NULL,
  kind        VARCHAR(16)  NOT NULL,
  state       VARCHAR(10)  NOT NULL,
  attempts    INT          NOT NULL DEFAULT 0,
  worker      VARCHAR(64)  NOT NULL DEFAULT '',
  lease_until DATETIME(6)  NULL,
  error       TEXT         NOT NULL DEFAULT '',
  created_at  DATETIME(6)  NOT NULL,
  finished_at DATETIME(6)  NULL,
  KEY jobs_state (state, id),
  CONSTRAINT jobs_part FOREIGN KEY (part_id) REFERENCES parts (id)
);

CREATE TABLE audit (
  id       BIGINT AUTO_INCREMENT PRIMARY KEY,
  at       DATETIME(6)  NOT NULL,
  person   VARCHAR(100) NOT NULL,
  action   VARCHAR(60)  NOT NULL,
  batch_id BIGINT       NULL,
  part_id  BIGINT       NULL,
  detail   JSON         NOT NULL,
  KEY audit_batch (batch_id, id)
);

-- +goose Down
DROP TABLE audit, jobs, findings, revisions, parts, batches, sessions, people;
