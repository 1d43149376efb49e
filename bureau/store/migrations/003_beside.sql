-- +goose Up
-- Files that came along with a batch's parts: material libraries and textures.
CREATE TABLE companions (
  id       BIGINT AUTO_INCREMENT PRIMARY KEY,
  batch_id BIGINT       NOT NULL,
  path     VARCHAR(400) NOT NULL,
  sha256   CHAR(64)     NOT NULL,
  bytes    BIGINT       NOT NULL,
  KEY companions_batch (batch_id, id),
  CONSTRAINT companions_batch FOREIGN KEY (batch_id) REFERENCES batches (id)
);

-- Where a part lay among the files that came (its folder in an archive), the
-- size that the customer stated, and answers to its questions.
ALTER TABLE parts
  ADD COLUMN path    VARCHAR(400) NOT NULL DEFAULT '',
  ADD COLUMN expect  VARCHAR(60)  NOT NULL DEFAULT '',
  ADD COLUMN answers TEXT         NOT NULL DEFAULT '{}';

-- +goose Down
ALTER TABLE parts DROP COLUMN path, DROP COLUMN expect, DROP COLUMN answers;
DROP TABLE companions;
