-- +goose Up

-- How a pair did after a time, as its runner told: what the shop learns of its models.
CREATE TABLE pair_reports (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT,
  shop_id BIGINT UNSIGNED NOT NULL,
  pair_id BIGINT UNSIGNED NOT NULL,
  after_days INT NOT NULL,
  comfort TINYINT NOT NULL,
  note VARCHAR(300) NOT NULL,
  made_by BIGINT UNSIGNED NOT NULL,
  made_at DATETIME(6) NOT NULL,
  PRIMARY KEY (id),
  KEY pair_reports_pair (pair_id, id),
  KEY pair_reports_shop (shop_id, after_days, id),
  CONSTRAINT pair_reports_pair FOREIGN KEY (pair_id) REFERENCES pairs (id),
  CONSTRAINT pair_reports_maker FOREIGN KEY (made_by, shop_id) REFERENCES users (id, shop_id),
  CONSTRAINT pair_reports_comfort CHECK (comfort BETWEEN 0 AND 10),
  CONSTRAINT pair_reports_days CHECK (after_days >= 0)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci;

-- +goose Down
DROP TABLE pair_reports;
