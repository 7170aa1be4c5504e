-- +goose Up
-- What was chosen of a runner's season: its shape, what-ifs that are kept, and as of which change of their facts its races were
-- looked at last.
CREATE TABLE seasons (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT,
  shop_id BIGINT UNSIGNED NOT NULL,
  runner_id BIGINT UNSIGNED NOT NULL,
  shape VARCHAR(16) NOT NULL DEFAULT 'grow',
  earlier BOOLEAN NOT NULL DEFAULT FALSE,
  fewer BOOLEAN NOT NULL DEFAULT FALSE,
  fresh BOOLEAN NOT NULL DEFAULT FALSE,
  second BOOLEAN NOT NULL DEFAULT FALSE,
  cheaper BOOLEAN NOT NULL DEFAULT FALSE,
  more BIGINT NOT NULL DEFAULT 0,
  looked_no BIGINT NOT NULL DEFAULT 0,
  looked_on DATE NOT NULL DEFAULT '1970-01-01',
  PRIMARY KEY (id),
  UNIQUE KEY seasons_runner (runner_id),
  CONSTRAINT seasons_runner_of_shop FOREIGN KEY (runner_id, shop_id) REFERENCES runners (id, shop_id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci;

-- A week, by its Monday, that was moved by hand or that the runner's own plan tells, with its runs.
CREATE TABLE season_weeks (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT,
  shop_id BIGINT UNSIGNED NOT NULL,
  runner_id BIGINT UNSIGNED NOT NULL,
  week DATE NOT NULL,
  how VARCHAR(8) NOT NULL,
  made_by BIGINT UNSIGNED NOT NULL,
  made_at DATETIME(6) NOT NULL,
  PRIMARY KEY (id),
  UNIQUE KEY season_weeks_in_shop (id, shop_id),
  UNIQUE KEY season_weeks_one (runner_id, week),
  CONSTRAINT season_weeks_runner_of_shop FOREIGN KEY (runner_id, shop_id) REFERENCES runners (id, shop_id),
  CONSTRAINT season_weeks_maker FOREIGN KEY (made_by, shop_id) REFERENCES users (id, shop_id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci;

CREATE TABLE season_runs (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT,
  shop_id BIGINT UNSIGNED NOT NULL,
  week_id BIGINT UNSIGNED NOT NULL,
  day TINYINT UNSIGNED NOT NULL,
  minute SMALLINT UNSIGNED NOT NULL,
  km DOUBLE NOT NULL,
  minutes DOUBLE NULL,
  kind VARCHAR(16) NOT NULL,
  ground VARCHAR(16) NOT NULL,
  run VARCHAR(40) NOT NULL DEFAULT '',
  PRIMARY KEY (id),
  KEY season_runs_week (week_id, day, minute),
  CONSTRAINT season_runs_of FOREIGN KEY (week_id, shop_id) REFERENCES season_weeks (id, shop_id),
  CONSTRAINT season_runs_day CHECK (day < 7),
  CONSTRAINT season_runs_minute CHECK (minute < 1440),
  CONSTRAINT season_runs_km CHECK (km > 0)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci;

-- A pair that a season asks for and that was decided on, until it is sold or dropped.
CREATE TABLE season_orders (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT,
  shop_id BIGINT UNSIGNED NOT NULL,
  runner_id BIGINT UNSIGNED NOT NULL,
  model_id BIGINT UNSIGNED NOT NULL,
  uk_half SMALLINT NOT NULL,
  width VARCHAR(4) NOT NULL,
  price BIGINT NOT NULL,
  order_on DATE NOT NULL,
  pair_id BIGINT UNSIGNED NULL,
  dropped_at DATETIME(6) NULL,
  made_by BIGINT UNSIGNED NOT NULL,
  made_at DATETIME(6) NOT NULL,
  PRIMARY KEY (id),
  KEY season_orders_runner (runner_id, order_on),
  CONSTRAINT season_orders_runner_of_shop FOREIGN KEY (runner_id, shop_id) REFERENCES runners (id, shop_id),
  CONSTRAINT season_orders_model FOREIGN KEY (model_id, shop_id) REFERENCES models (id, shop_id),
  CONSTRAINT season_orders_maker FOREIGN KEY (made_by, shop_id) REFERENCES users (id, shop_id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci;

-- How likely a race is ready as it was told last, what that came from, and a change of more than ten points since.
CREATE TABLE season_outlooks (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT,
  shop_id BIGINT UNSIGNED NOT NULL,
  runner_id BIGINT UNSIGNED NOT NULL,
  race_on DATE NOT NULL,
  race VARCHAR(120) NOT NULL,
  ready DOUBLE NOT NULL,
  told_on DATE NOT NULL,
  basis JSON NOT NULL,
  was DOUBLE NULL,
  was_on DATE NULL,
  why VARCHAR(500) NOT NULL DEFAULT '',
  seen_at DATETIME(6) NULL,
  PRIMARY KEY (id),
  UNIQUE KEY season_outlooks_race (runner_id, race_on),
  KEY season_outlooks_changed (shop_id, seen_at, told_on),
  CONSTRAINT season_outlooks_runner_of_shop FOREIGN KEY (runner_id, shop_id) REFERENCES runners (id, shop_id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci;

-- +goose Down
DROP TABLE season_outlooks;
DROP TABLE season_orders;
DROP TABLE season_runs;
DROP TABLE season_weeks;
DROP TABLE seasons;
