-- +goose Up
CREATE TABLE shops (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT,
  name VARCHAR(120) NOT NULL,
  currency CHAR(3) NOT NULL,
  created_at DATETIME(6) NOT NULL,
  PRIMARY KEY (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci;

CREATE TABLE users (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT,
  shop_id BIGINT UNSIGNED NOT NULL,
  name VARCHAR(120) NOT NULL,
  login VARCHAR(120) NOT NULL,
  password_hash VARCHAR(255) NOT NULL,
  role VARCHAR(16) NOT NULL,
  units VARCHAR(16) NOT NULL DEFAULT 'metric',
  theme VARCHAR(16) NOT NULL DEFAULT 'light',
  created_at DATETIME(6) NOT NULL,
  disabled_at DATETIME(6) NULL,
  PRIMARY KEY (id),
  UNIQUE KEY users_login (login),
  UNIQUE KEY users_in_shop (id, shop_id),
  CONSTRAINT users_shop FOREIGN KEY (shop_id) REFERENCES shops (id),
  CONSTRAINT users_role CHECK (role IN ('owner', 'fitter', 'trainee')),
  CONSTRAINT users_units CHECK (units IN ('metric', 'imperial')),
  CONSTRAINT users_theme CHECK (theme IN ('light', 'dim'))
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci;

-- What the session library asks for.
CREATE TABLE sessions (
  token CHAR(43) NOT NULL,
  data BLOB NOT NULL,
  expiry TIMESTAMP(6) NOT NULL DEFAULT CURRENT_TIMESTAMP(6),
  PRIMARY KEY (token),
  KEY sessions_expiry (expiry)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci;

-- Failed sign-ins only; the login is kept as a hash.
CREATE TABLE sign_in_tries (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT,
  login_hash BINARY(32) NOT NULL,
  address VARCHAR(64) NOT NULL,
  tried_at DATETIME(6) NOT NULL,
  PRIMARY KEY (id),
  KEY sign_in_tries_login (login_hash, tried_at),
  KEY sign_in_tries_address (address, tried_at)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci;

-- The latest row of a name counts; earlier ones stay.
CREATE TABLE settings (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT,
  shop_id BIGINT UNSIGNED NOT NULL,
  name VARCHAR(40) NOT NULL,
  value VARCHAR(400) NOT NULL,
  made_by BIGINT UNSIGNED NOT NULL,
  made_at DATETIME(6) NOT NULL,
  PRIMARY KEY (id),
  KEY settings_name (shop_id, name, id),
  CONSTRAINT settings_maker FOREIGN KEY (made_by, shop_id) REFERENCES users (id, shop_id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci;

CREATE TABLE models (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT,
  shop_id BIGINT UNSIGNED NOT NULL,
  code VARCHAR(80) NOT NULL,
  maker VARCHAR(80) NOT NULL,
  name VARCHAR(80) NOT NULL,
  version SMALLINT NOT NULL,
  year SMALLINT NOT NULL,
  replaces_code VARCHAR(80) NOT NULL DEFAULT '',
  change_kind VARCHAR(16) NOT NULL DEFAULT '',
  chart VARCHAR(8) NOT NULL,
  surface VARCHAR(8) NOT NULL,
  class VARCHAR(20) NOT NULL,
  level VARCHAR(20) NOT NULL,
  support_by VARCHAR(120) NOT NULL,
  stack_heel_mm DOUBLE NOT NULL,
  stack_forefoot_mm DOUBLE NOT NULL,
  stack_measured_by VARCHAR(80) NOT NULL DEFAULT '',
  weight_g DOUBLE NOT NULL,
  softness DOUBLE NOT NULL,
  bounce DOUBLE NOT NULL,
  plate VARCHAR(8) NOT NULL,
  rocker TINYINT NOT NULL,
  heel_bevel BOOLEAN NOT NULL,
  flexibility DOUBLE NOT NULL,
  last_shape VARCHAR(12) NOT NULL,
  volume VARCHAR(8) NOT NULL,
  inner_offset_mm DOUBLE NOT NULL,
  lug_depth_mm DOUBLE NOT NULL,
  lug_spacing VARCHAR(8) NOT NULL,
  rubber_softness DOUBLE NOT NULL,
  metal_tips BOOLEAN NOT NULL,
  rock_plate BOOLEAN NOT NULL,
  toe_bumper BOOLEAN NOT NULL,
  liner BOOLEAN NOT NULL,
  upper_kind VARCHAR(12) NOT NULL,
  upper_firmness DOUBLE NOT NULL,
  heel_counter VARCHAR(12) NOT NULL,
  median_life_km DOUBLE NULL,
  list_price BIGINT NOT NULL,
  sale_price BIGINT NULL,
  label_us_over_uk DOUBLE NULL,
  label_eu_shift DOUBLE NULL,
  purpose VARCHAR(400) NOT NULL,
  notes VARCHAR(2000) NOT NULL,
  PRIMARY KEY (id),
  UNIQUE KEY models_code (shop_id, code),
  UNIQUE KEY models_in_shop (id, shop_id),
  CONSTRAINT models_shop FOREIGN KEY (shop_id) REFERENCES shops (id),
  CONSTRAINT models_prices CHECK (list_price >= 0 AND (sale_price IS NULL OR sale_price >= 0)),
  CONSTRAINT models_stack CHECK (stack_heel_mm BETWEEN 2 AND 70 AND stack_forefoot_mm BETWEEN 2 AND 60),
  CONSTRAINT models_chart CHECK (chart IN ('men', 'women', 'youth')),
  CONSTRAINT models_level CHECK (level IN ('neutral_soft', 'neutral', 'guidance', 'stability', 'motion_control'))
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci;

-- Every size and width that is made, with what is on the shelf. uk_half is twice
-- the running UK figure, so that half sizes are whole numbers.
CREATE TABLE model_sizes (
  model_id BIGINT UNSIGNED NOT NULL,
  uk_half SMALLINT NOT NULL,
  width VARCHAR(4) NOT NULL,
  stock SMALLINT NOT NULL DEFAULT 0,
  PRIMARY KEY (model_id, uk_half, width),
  CONSTRAINT model_sizes_model FOREIGN KEY (model_id) REFERENCES models (id),
  CONSTRAINT model_sizes_stock CHECK (stock >= 0)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci;

CREATE TABLE runners (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT,
  shop_id BIGINT UNSIGNED NOT NULL,
  name VARCHAR(120) NOT NULL,
  contact VARCHAR(200) NOT NULL,
  chart VARCHAR(8) NOT NULL,
  made_by BIGINT UNSIGNED NOT NULL,
  made_at DATETIME(6) NOT NULL,
  PRIMARY KEY (id),
  KEY runners_name (shop_id, name),
  UNIQUE KEY runners_in_shop (id, shop_id),
  CONSTRAINT runners_maker FOREIGN KEY (made_by, shop_id) REFERENCES users (id, shop_id),
  CONSTRAINT runners_chart CHECK (chart IN ('men', 'women', 'youth'))
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci;

CREATE TABLE fits (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT,
  shop_id BIGINT UNSIGNED NOT NULL,
  runner_id BIGINT UNSIGNED NOT NULL,
  fitter_id BIGINT UNSIGNED NOT NULL,
  started_at DATETIME(6) NOT NULL,
  closed_at DATETIME(6) NULL,
  PRIMARY KEY (id),
  UNIQUE KEY fits_in_shop (id, shop_id),
  KEY fits_open (shop_id, closed_at, started_at),
  KEY fits_runner (runner_id, started_at),
  CONSTRAINT fits_runner_of_shop FOREIGN KEY (runner_id, shop_id) REFERENCES runners (id, shop_id),
  CONSTRAINT fits_fitter_of_shop FOREIGN KEY (fitter_id, shop_id) REFERENCES users (id, shop_id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci;

-- Everything measured, seen or answered, a row each. Nothing is overwritten: the
-- latest row of (name, side, repeat_no) counts, and a withdrawn row empties it.
CREATE TABLE findings (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT,
  shop_id BIGINT UNSIGNED NOT NULL,
  fit_id BIGINT UNSIGNED NOT NULL,
  name VARCHAR(40) NOT NULL,
  side VARCHAR(5) NOT NULL DEFAULT '',
  repeat_no INT NOT NULL DEFAULT 0,
  number_value DOUBLE NULL,
  text_value VARCHAR(2000) NULL,
  unit VARCHAR(8) NOT NULL DEFAULT '',
  error_value DOUBLE NULL,
  withdrawn BOOLEAN NOT NULL DEFAULT FALSE,
  how VARCHAR(20) NOT NULL,
  made_by BIGINT UNSIGNED NOT NULL,
  made_at DATETIME(6) NOT NULL,
  PRIMARY KEY (id),
  KEY findings_latest (fit_id, name, side, repeat_no, id),
  CONSTRAINT findings_fit FOREIGN KEY (fit_id, shop_id) REFERENCES fits (id, shop_id),
  CONSTRAINT findings_maker FOREIGN KEY (made_by, shop_id) REFERENCES users (id, shop_id),
  CONSTRAINT findings_side CHECK (side IN ('', 'left', 'right')),
  CONSTRAINT findings_value CHECK (withdrawn OR number_value IS NOT NULL OR text_value IS NOT NULL)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci;

-- What somebody decided, with what it was decided on (basis, JSON).
CREATE TABLE decisions (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT,
  shop_id BIGINT UNSIGNED NOT NULL,
  fit_id BIGINT UNSIGNED NOT NULL,
  kind VARCHAR(20) NOT NULL,
  value VARCHAR(200) NOT NULL,
  reason VARCHAR(1000) NOT NULL DEFAULT '',
  basis JSON NOT NULL,
  made_by BIGINT UNSIGNED NOT NULL,
  made_at DATETIME(6) NOT NULL,
  PRIMARY KEY (id),
  KEY decisions_kind (fit_id, kind, id),
  CONSTRAINT decisions_fit FOREIGN KEY (fit_id, shop_id) REFERENCES fits (id, shop_id),
  CONSTRAINT decisions_maker FOREIGN KEY (made_by, shop_id) REFERENCES users (id, shop_id),
  CONSTRAINT decisions_kinds CHECK (kind IN ('choice', 'refer_override'))
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci;

CREATE TABLE pairs (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT,
  shop_id BIGINT UNSIGNED NOT NULL,
  runner_id BIGINT UNSIGNED NOT NULL,
  model_id BIGINT UNSIGNED NOT NULL,
  fit_id BIGINT UNSIGNED NULL,
  uk_half SMALLINT NOT NULL,
  width VARCHAR(4) NOT NULL,
  price BIGINT NOT NULL,
  bought_on DATE NOT NULL,
  first_worn DATE NULL,
  set_aside_on DATE NULL,
  from_stock BOOLEAN NOT NULL DEFAULT FALSE,
  taken_back_at DATETIME(6) NULL,
  made_by BIGINT UNSIGNED NOT NULL,
  made_at DATETIME(6) NOT NULL,
  PRIMARY KEY (id),
  UNIQUE KEY pairs_in_shop (id, shop_id),
  KEY pairs_runner (runner_id, set_aside_on),
  CONSTRAINT pairs_runner_of_shop FOREIGN KEY (runner_id, shop_id) REFERENCES runners (id, shop_id),
  CONSTRAINT pairs_model_of_shop FOREIGN KEY (model_id, shop_id) REFERENCES models (id, shop_id),
  CONSTRAINT pairs_fit_of_shop FOREIGN KEY (fit_id, shop_id) REFERENCES fits (id, shop_id),
  CONSTRAINT pairs_maker FOREIGN KEY (made_by, shop_id) REFERENCES users (id, shop_id),
  CONSTRAINT pairs_price CHECK (price >= 0),
  CONSTRAINT pairs_days CHECK (set_aside_on IS NULL OR set_aside_on >= bought_on)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci;

-- A run, or a part of one. A withdrawn run stays and no longer counts.
CREATE TABLE runs (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT,
  shop_id BIGINT UNSIGNED NOT NULL,
  runner_id BIGINT UNSIGNED NOT NULL,
  pair_id BIGINT UNSIGNED NOT NULL,
  run_on DATE NOT NULL,
  km DECIMAL(7, 3) NOT NULL,
  ground VARCHAR(12) NOT NULL,
  kind VARCHAR(12) NOT NULL,
  wet BOOLEAN NOT NULL DEFAULT FALSE,
  temp_c DOUBLE NULL,
  how VARCHAR(20) NOT NULL,
  made_by BIGINT UNSIGNED NOT NULL,
  made_at DATETIME(6) NOT NULL,
  withdrawn_by BIGINT UNSIGNED NULL,
  withdrawn_at DATETIME(6) NULL,
  PRIMARY KEY (id),
  KEY runs_pair (pair_id, run_on),
  KEY runs_runner (runner_id, run_on),
  CONSTRAINT runs_runner_of_shop FOREIGN KEY (runner_id, shop_id) REFERENCES runners (id, shop_id),
  CONSTRAINT runs_pair_of_shop FOREIGN KEY (pair_id, shop_id) REFERENCES pairs (id, shop_id),
  CONSTRAINT runs_maker FOREIGN KEY (made_by, shop_id) REFERENCES users (id, shop_id),
  CONSTRAINT runs_km CHECK (km > 0 AND km <= 400)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci;

-- One row a form that was sent, so that sending it twice does its work once.
CREATE TABLE submissions (
  user_id BIGINT UNSIGNED NOT NULL,
  token CHAR(26) NOT NULL,
  result VARCHAR(200) NOT NULL,
  made_at DATETIME(6) NOT NULL,
  PRIMARY KEY (user_id, token),
  KEY submissions_made (made_at),
  CONSTRAINT submissions_user FOREIGN KEY (user_id) REFERENCES users (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci;

-- +goose Down
DROP TABLE submissions, runs, pairs, decisions, findings, fits, runners, model_sizes, models, settings, sign_in_tries, sessions, users,
  shops;
