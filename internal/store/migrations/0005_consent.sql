-- +goose Up

-- What a runner said of keeping films and health answers: the latest row of a kind
-- holds, and an earlier one shows what was agreed to when.
CREATE TABLE consents (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT,
  shop_id BIGINT UNSIGNED NOT NULL,
  runner_id BIGINT UNSIGNED NOT NULL,
  kind VARCHAR(10) NOT NULL,
  answer VARCHAR(20) NOT NULL,
  made_by BIGINT UNSIGNED NOT NULL,
  made_at DATETIME(6) NOT NULL,
  PRIMARY KEY (id),
  KEY consents_runner (runner_id, kind, id),
  KEY consents_age (kind, answer, made_at),
  CONSTRAINT consents_runner_of_shop FOREIGN KEY (runner_id, shop_id) REFERENCES runners (id, shop_id),
  CONSTRAINT consents_maker FOREIGN KEY (made_by, shop_id) REFERENCES users (id, shop_id),
  CONSTRAINT consents_kinds CHECK (kind IN ('film', 'health')),
  CONSTRAINT consents_answers CHECK (answer IN ('no', 'yes', 'one_year', 'until_withdrawn', 'withdrawn'))
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci;

-- +goose Down
DROP TABLE consents;
