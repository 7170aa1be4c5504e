-- +goose Up
-- Tries at signing in are counted by a key in one statement, so that none slips past the limit; what
-- was tried before this is forgotten.
CREATE TABLE sign_in_counts (
  counted BINARY(32) NOT NULL,
  since DATETIME(6) NOT NULL,
  n INT UNSIGNED NOT NULL,
  PRIMARY KEY (counted),
  KEY sign_in_counts_since (since)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci;
DROP TABLE sign_in_tries;

-- A browser in which somebody signed in before: the tries of others elsewhere do not slow it.
CREATE TABLE devices (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT,
  user_id BIGINT UNSIGNED NOT NULL,
  digest BINARY(32) NOT NULL,
  made_at DATETIME(6) NOT NULL,
  PRIMARY KEY (id),
  UNIQUE KEY devices_digest (user_id, digest),
  CONSTRAINT devices_user FOREIGN KEY (user_id) REFERENCES users (id) ON DELETE CASCADE
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci;

-- Who is signed in, where: a session without its row here is over.
CREATE TABLE signed_in (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT,
  user_id BIGINT UNSIGNED NOT NULL,
  digest BINARY(32) NOT NULL,
  agent VARCHAR(120) NOT NULL,
  second_due BOOLEAN NOT NULL DEFAULT FALSE,
  asked_at DATETIME(6) NOT NULL,
  made_at DATETIME(6) NOT NULL,
  seen_at DATETIME(6) NOT NULL,
  PRIMARY KEY (id),
  UNIQUE KEY signed_in_digest (digest),
  KEY signed_in_made (made_at),
  CONSTRAINT signed_in_user FOREIGN KEY (user_id) REFERENCES users (id) ON DELETE CASCADE
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci;
DELETE FROM sessions;

-- A second factor: the secret of the codes, the last step that was used, and codes for when it is lost.
ALTER TABLE users ADD COLUMN second_secret VARBINARY(64) NULL, ADD COLUMN second_step BIGINT NOT NULL DEFAULT 0,
  ADD COLUMN password_at DATETIME(6) NULL;
CREATE TABLE recovery_codes (
  user_id BIGINT UNSIGNED NOT NULL,
  digest BINARY(32) NOT NULL,
  used_at DATETIME(6) NULL,
  PRIMARY KEY (user_id, digest),
  CONSTRAINT recovery_codes_user FOREIGN KEY (user_id) REFERENCES users (id) ON DELETE CASCADE
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci;

-- An address that was made through another ends with it.
ALTER TABLE links ADD COLUMN through BIGINT UNSIGNED NULL, ADD CONSTRAINT links_through
  FOREIGN KEY (through) REFERENCES links (id) ON DELETE CASCADE;

-- Who did what to people's data. Rows are only added; each is sealed by a hash over the one before.
CREATE TABLE audit (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT,
  shop_id BIGINT UNSIGNED NOT NULL,
  number BIGINT UNSIGNED NOT NULL,
  made_at DATETIME(6) NOT NULL,
  user_id BIGINT UNSIGNED NULL,
  who VARCHAR(120) NOT NULL,
  did VARCHAR(12) NOT NULL,
  what VARCHAR(120) NOT NULL,
  runner_id BIGINT UNSIGNED NULL,
  subject VARCHAR(120) NOT NULL,
  seal BINARY(32) NOT NULL,
  PRIMARY KEY (id),
  UNIQUE KEY audit_number (shop_id, number),
  KEY audit_runner (shop_id, runner_id, number),
  KEY audit_did (shop_id, did, number),
  CONSTRAINT audit_shop FOREIGN KEY (shop_id) REFERENCES shops (id),
  CONSTRAINT audit_kinds CHECK (did IN ('saw', 'changed', 'exported', 'erased', 'overruled', 'opened', 'account'))
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci;
CREATE TABLE audit_heads (
  shop_id BIGINT UNSIGNED NOT NULL,
  number BIGINT UNSIGNED NOT NULL,
  seal BINARY(32) NOT NULL,
  PRIMARY KEY (shop_id),
  CONSTRAINT audit_heads_shop FOREIGN KEY (shop_id) REFERENCES shops (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci;

-- +goose Down
DROP TABLE audit_heads, audit, recovery_codes, signed_in, devices, sign_in_counts;
ALTER TABLE links DROP CONSTRAINT links_through, DROP COLUMN through;
ALTER TABLE users DROP COLUMN second_secret, DROP COLUMN second_step, DROP COLUMN password_at;
CREATE TABLE sign_in_tries (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT,
  login_hash BINARY(32) NOT NULL,
  address VARCHAR(64) NOT NULL,
  tried_at DATETIME(6) NOT NULL,
  PRIMARY KEY (id),
  KEY sign_in_tries_login (login_hash, tried_at),
  KEY sign_in_tries_address (address, tried_at)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci;
