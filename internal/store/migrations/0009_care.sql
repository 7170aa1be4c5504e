-- +goose Up

-- Where a pair rubs, what was tried, and whether it helped.
CREATE TABLE rubs (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT,
  shop_id BIGINT UNSIGNED NOT NULL,
  pair_id BIGINT UNSIGNED NOT NULL,
  side VARCHAR(5) NOT NULL DEFAULT '',
  place VARCHAR(20) NOT NULL,
  comes VARCHAR(20) NOT NULL DEFAULT '',
  cause VARCHAR(120) NOT NULL DEFAULT '',
  tried VARCHAR(300) NOT NULL DEFAULT '',
  helped VARCHAR(5) NOT NULL DEFAULT '',
  referred BOOLEAN NOT NULL DEFAULT FALSE,
  made_by BIGINT UNSIGNED NOT NULL,
  made_at DATETIME(6) NOT NULL,
  PRIMARY KEY (id),
  KEY rubs_pair (pair_id, id),
  CONSTRAINT rubs_of FOREIGN KEY (pair_id, shop_id) REFERENCES pairs (id, shop_id),
  CONSTRAINT rubs_maker FOREIGN KEY (made_by, shop_id) REFERENCES users (id, shop_id),
  CONSTRAINT rubs_helped CHECK (helped IN ('', 'yes', 'no'))
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci;

-- Changing over from one shoe to another: what was known when the plan was made.
CREATE TABLE changes (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT,
  shop_id BIGINT UNSIGNED NOT NULL,
  runner_id BIGINT UNSIGNED NOT NULL,
  from_name VARCHAR(160) NOT NULL,
  to_name VARCHAR(160) NOT NULL,
  asked JSON NOT NULL,
  made_by BIGINT UNSIGNED NOT NULL,
  made_at DATETIME(6) NOT NULL,
  ended_at DATETIME(6) NULL,
  PRIMARY KEY (id),
  UNIQUE KEY changes_in_shop (id, shop_id),
  KEY changes_runner (runner_id, id),
  CONSTRAINT changes_runner_of_shop FOREIGN KEY (runner_id, shop_id) REFERENCES runners (id, shop_id),
  CONSTRAINT changes_maker FOREIGN KEY (made_by, shop_id) REFERENCES users (id, shop_id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci;

CREATE TABLE change_reports (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT,
  shop_id BIGINT UNSIGNED NOT NULL,
  change_id BIGINT UNSIGNED NOT NULL,
  week INT NOT NULL,
  soreness DOUBLE NOT NULL,
  place VARCHAR(20) NOT NULL DEFAULT '',
  night BOOLEAN NOT NULL,
  made_by BIGINT UNSIGNED NOT NULL,
  made_at DATETIME(6) NOT NULL,
  PRIMARY KEY (id),
  UNIQUE KEY change_reports_week (change_id, week),
  CONSTRAINT change_reports_of FOREIGN KEY (change_id, shop_id) REFERENCES changes (id, shop_id),
  CONSTRAINT change_reports_maker FOREIGN KEY (made_by, shop_id) REFERENCES users (id, shop_id),
  CONSTRAINT change_reports_soreness CHECK (soreness BETWEEN 0 AND 10)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci;

-- What is left of a pair when its runner is erased: that it was sold.
CREATE TABLE sales (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT,
  shop_id BIGINT UNSIGNED NOT NULL,
  model_id BIGINT UNSIGNED NOT NULL,
  uk_half SMALLINT NOT NULL,
  width VARCHAR(4) NOT NULL,
  price BIGINT NOT NULL,
  sold_on DATE NOT NULL,
  PRIMARY KEY (id),
  CONSTRAINT sales_model FOREIGN KEY (model_id, shop_id) REFERENCES models (id, shop_id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci;

-- Invented runners of the practice, and how their fits went. They are never among the real.
ALTER TABLE runners ADD COLUMN practice_seed BIGINT UNSIGNED NULL;

CREATE TABLE practice_scores (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT,
  shop_id BIGINT UNSIGNED NOT NULL,
  user_id BIGINT UNSIGNED NOT NULL,
  seed BIGINT UNSIGNED NOT NULL,
  points DOUBLE NOT NULL,
  score JSON NOT NULL,
  made_at DATETIME(6) NOT NULL,
  PRIMARY KEY (id),
  KEY practice_scores_user (user_id, id),
  CONSTRAINT practice_scores_of FOREIGN KEY (user_id, shop_id) REFERENCES users (id, shop_id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci;

-- +goose Down
ALTER TABLE runners DROP COLUMN practice_seed;
DROP TABLE practice_scores, sales, change_reports, changes, rubs;
