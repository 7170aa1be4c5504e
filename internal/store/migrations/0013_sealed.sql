-- +goose Up
-- Keys that seal films, pictures and health answers, themselves sealed by the owner's key.
CREATE TABLE data_keys (
  id BINARY(8) NOT NULL,
  wrapped BINARY(60) NOT NULL,
  owner_key VARCHAR(12) NOT NULL,
  made_at DATETIME(6) NOT NULL,
  PRIMARY KEY (id),
  KEY data_keys_made (made_at)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci;

-- What tells of a runner's health stands in a column of its own, sealed where there is a key: a
-- finding's value, what of a decision's basis and reason does, a plan's complaints and what was
-- reported of its weeks.
ALTER TABLE findings ADD COLUMN health TEXT NULL, DROP CONSTRAINT findings_value,
  ADD CONSTRAINT findings_value CHECK (withdrawn OR number_value IS NOT NULL OR text_value IS NOT NULL OR health IS NOT NULL);
ALTER TABLE decisions ADD COLUMN health MEDIUMTEXT NULL;
ALTER TABLE changes ADD COLUMN health TEXT NULL;
ALTER TABLE change_reports ADD COLUMN health TEXT NULL, MODIFY COLUMN soreness DOUBLE NULL, MODIFY COLUMN night BOOLEAN NULL;

-- The secret of a second factor is sealed too.
ALTER TABLE users MODIFY COLUMN second_secret VARCHAR(255) NULL;

-- +goose Down
ALTER TABLE users MODIFY COLUMN second_secret VARBINARY(64) NULL;
ALTER TABLE change_reports DROP COLUMN health, MODIFY COLUMN soreness DOUBLE NOT NULL, MODIFY COLUMN night BOOLEAN NOT NULL;
ALTER TABLE changes DROP COLUMN health;
ALTER TABLE decisions DROP COLUMN health;
ALTER TABLE findings DROP CONSTRAINT findings_value, DROP COLUMN health,
  ADD CONSTRAINT findings_value CHECK (withdrawn OR number_value IS NOT NULL OR text_value IS NOT NULL);
DROP TABLE data_keys;
