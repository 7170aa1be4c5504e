-- +goose Up

-- A run may have no pair yet; one from a file knows its hour, its climb and its file.
ALTER TABLE runs MODIFY COLUMN pair_id BIGINT UNSIGNED NULL,
  ADD COLUMN started_at DATETIME NULL,
  ADD COLUMN minutes DOUBLE NULL,
  ADD COLUMN ascent_m DOUBLE NULL,
  ADD COLUMN file_id BIGINT UNSIGNED NULL,
  ADD COLUMN split_from BIGINT UNSIGNED NULL;

-- What a run's track was when it came, packed. It goes with the runner.
CREATE TABLE run_files (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT,
  shop_id BIGINT UNSIGNED NOT NULL,
  runner_id BIGINT UNSIGNED NOT NULL,
  name VARCHAR(200) NOT NULL,
  digest BINARY(32) NOT NULL,
  data MEDIUMBLOB NOT NULL,
  made_by BIGINT UNSIGNED NOT NULL,
  made_at DATETIME(6) NOT NULL,
  PRIMARY KEY (id),
  KEY run_files_digest (runner_id, digest),
  CONSTRAINT run_files_runner FOREIGN KEY (runner_id, shop_id) REFERENCES runners (id, shop_id),
  CONSTRAINT run_files_maker FOREIGN KEY (made_by, shop_id) REFERENCES users (id, shop_id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci;

-- Which pair a run was moved from and to; the run itself tells where it is now.
CREATE TABLE run_moves (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT,
  shop_id BIGINT UNSIGNED NOT NULL,
  run_id BIGINT UNSIGNED NOT NULL,
  from_pair BIGINT UNSIGNED NULL,
  to_pair BIGINT UNSIGNED NULL,
  made_by BIGINT UNSIGNED NOT NULL,
  made_at DATETIME(6) NOT NULL,
  PRIMARY KEY (id),
  KEY run_moves_run (run_id, id),
  CONSTRAINT run_moves_of FOREIGN KEY (run_id) REFERENCES runs (id),
  CONSTRAINT run_moves_maker FOREIGN KEY (made_by, shop_id) REFERENCES users (id, shop_id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci;

-- New runs of a kind on a ground go into a pair, or into two of them in turn. An empty
-- kind or ground is any.
CREATE TABLE run_rules (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT,
  shop_id BIGINT UNSIGNED NOT NULL,
  runner_id BIGINT UNSIGNED NOT NULL,
  kind VARCHAR(12) NOT NULL,
  ground VARCHAR(12) NOT NULL,
  pair_id BIGINT UNSIGNED NOT NULL,
  second_pair BIGINT UNSIGNED NULL,
  made_by BIGINT UNSIGNED NOT NULL,
  made_at DATETIME(6) NOT NULL,
  withdrawn_at DATETIME(6) NULL,
  PRIMARY KEY (id),
  KEY run_rules_runner (runner_id, id),
  CONSTRAINT run_rules_runner_of_shop FOREIGN KEY (runner_id, shop_id) REFERENCES runners (id, shop_id),
  CONSTRAINT run_rules_pair FOREIGN KEY (pair_id, shop_id) REFERENCES pairs (id, shop_id),
  CONSTRAINT run_rules_second FOREIGN KEY (second_pair, shop_id) REFERENCES pairs (id, shop_id),
  CONSTRAINT run_rules_maker FOREIGN KEY (made_by, shop_id) REFERENCES users (id, shop_id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci;

-- A pair looked at, left and right apart: 0 as new to 1 gone, and what is broken.
CREATE TABLE inspections (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT,
  shop_id BIGINT UNSIGNED NOT NULL,
  pair_id BIGINT UNSIGNED NOT NULL,
  looked_on DATE NOT NULL,
  tread_left DOUBLE NULL,
  tread_right DOUBLE NULL,
  bounce_left DOUBLE NULL,
  bounce_right DOUBLE NULL,
  upper_left DOUBLE NULL,
  upper_right DOUBLE NULL,
  evenness_left DOUBLE NULL,
  evenness_right DOUBLE NULL,
  beside_fresh BOOLEAN NOT NULL,
  upper_hole BOOLEAN NOT NULL,
  sole_through BOOLEAN NOT NULL,
  aches VARCHAR(200) NOT NULL DEFAULT '',
  note VARCHAR(300) NOT NULL DEFAULT '',
  made_by BIGINT UNSIGNED NOT NULL,
  made_at DATETIME(6) NOT NULL,
  withdrawn_at DATETIME(6) NULL,
  PRIMARY KEY (id),
  KEY inspections_pair (pair_id, id),
  CONSTRAINT inspections_of FOREIGN KEY (pair_id, shop_id) REFERENCES pairs (id, shop_id),
  CONSTRAINT inspections_maker FOREIGN KEY (made_by, shop_id) REFERENCES users (id, shop_id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci;

-- The midsole pressed and photographed, held against the first such picture.
CREATE TABLE pair_photos (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT,
  shop_id BIGINT UNSIGNED NOT NULL,
  pair_id BIGINT UNSIGNED NOT NULL,
  side VARCHAR(5) NOT NULL,
  data MEDIUMBLOB NOT NULL,
  made_by BIGINT UNSIGNED NOT NULL,
  made_at DATETIME(6) NOT NULL,
  PRIMARY KEY (id),
  KEY pair_photos_pair (pair_id, side, id),
  CONSTRAINT pair_photos_of FOREIGN KEY (pair_id, shop_id) REFERENCES pairs (id, shop_id),
  CONSTRAINT pair_photos_maker FOREIGN KEY (made_by, shop_id) REFERENCES users (id, shop_id),
  CONSTRAINT pair_photos_side CHECK (side IN ('left', 'right'))
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci;

-- Hours of lifting in a pair.
CREATE TABLE pair_lifting (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT,
  shop_id BIGINT UNSIGNED NOT NULL,
  pair_id BIGINT UNSIGNED NOT NULL,
  hours DOUBLE NOT NULL,
  made_by BIGINT UNSIGNED NOT NULL,
  made_at DATETIME(6) NOT NULL,
  PRIMARY KEY (id),
  KEY pair_lifting_pair (pair_id, id),
  CONSTRAINT pair_lifting_of FOREIGN KEY (pair_id, shop_id) REFERENCES pairs (id, shop_id),
  CONSTRAINT pair_lifting_maker FOREIGN KEY (made_by, shop_id) REFERENCES users (id, shop_id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci;

-- Why a pair was set aside: those for wear are the runner's own history. slowed_on is the
-- day from which a pair is for short and slow runs alone.
ALTER TABLE pairs ADD COLUMN aside_reason VARCHAR(20) NOT NULL DEFAULT '', ADD COLUMN aside_note VARCHAR(300) NOT NULL DEFAULT '',
  ADD COLUMN slowed_on DATE NULL;

CREATE TABLE races (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT,
  shop_id BIGINT UNSIGNED NOT NULL,
  runner_id BIGINT UNSIGNED NOT NULL,
  name VARCHAR(120) NOT NULL,
  race_on DATE NOT NULL,
  km DOUBLE NOT NULL,
  pair_id BIGINT UNSIGNED NULL,
  made_by BIGINT UNSIGNED NOT NULL,
  made_at DATETIME(6) NOT NULL,
  withdrawn_at DATETIME(6) NULL,
  PRIMARY KEY (id),
  KEY races_runner (runner_id, race_on),
  CONSTRAINT races_runner_of_shop FOREIGN KEY (runner_id, shop_id) REFERENCES runners (id, shop_id),
  CONSTRAINT races_maker FOREIGN KEY (made_by, shop_id) REFERENCES users (id, shop_id),
  CONSTRAINT races_km CHECK (km > 0)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci;

-- Addresses that need no password: a runner's own pages, a runner's calendar, the shop's.
-- Only the digest of the secret is kept.
CREATE TABLE links (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT,
  shop_id BIGINT UNSIGNED NOT NULL,
  kind VARCHAR(16) NOT NULL,
  runner_id BIGINT UNSIGNED NULL,
  digest BINARY(32) NOT NULL,
  expires_at DATETIME(6) NULL,
  revoked_at DATETIME(6) NULL,
  used_at DATETIME(6) NULL,
  made_by BIGINT UNSIGNED NOT NULL,
  made_at DATETIME(6) NOT NULL,
  PRIMARY KEY (id),
  UNIQUE KEY links_digest (digest),
  KEY links_runner (shop_id, runner_id, kind),
  CONSTRAINT links_runner_of_shop FOREIGN KEY (runner_id, shop_id) REFERENCES runners (id, shop_id),
  CONSTRAINT links_maker FOREIGN KEY (made_by, shop_id) REFERENCES users (id, shop_id),
  CONSTRAINT links_kinds CHECK (kind IN ('runner', 'runner_calendar', 'shop_calendar'))
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci;

-- How the columns of a table of runs are read, by its header; the latest counts.
CREATE TABLE run_columns (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT,
  shop_id BIGINT UNSIGNED NOT NULL,
  header BINARY(32) NOT NULL,
  columns_read JSON NOT NULL,
  made_by BIGINT UNSIGNED NOT NULL,
  made_at DATETIME(6) NOT NULL,
  PRIMARY KEY (id),
  KEY run_columns_header (shop_id, header, id),
  CONSTRAINT run_columns_maker FOREIGN KEY (made_by, shop_id) REFERENCES users (id, shop_id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci;

-- +goose Down
DROP TABLE run_columns, links, races, pair_lifting, pair_photos, inspections, run_rules, run_moves, run_files;
ALTER TABLE pairs DROP COLUMN aside_reason, DROP COLUMN aside_note, DROP COLUMN slowed_on;
DELETE FROM runs WHERE pair_id IS NULL;
ALTER TABLE runs DROP COLUMN started_at, DROP COLUMN minutes, DROP COLUMN ascent_m, DROP COLUMN file_id, DROP COLUMN split_from,
  MODIFY COLUMN pair_id BIGINT UNSIGNED NOT NULL;
