-- +goose Up
-- Pictures stand apart from the rows that pages read. One that nobody agreed to keep
-- (kept is false) is only worked on, and goes soon.
CREATE TABLE pictures (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT,
  shop_id BIGINT UNSIGNED NOT NULL,
  fit_id BIGINT UNSIGNED NOT NULL,
  kind VARCHAR(16) NOT NULL,
  side VARCHAR(5) NOT NULL,
  width INT NOT NULL,
  height INT NOT NULL,
  data MEDIUMBLOB NOT NULL,
  options JSON NOT NULL,
  kept BOOLEAN NOT NULL,
  made_by BIGINT UNSIGNED NOT NULL,
  made_at DATETIME(6) NOT NULL,
  PRIMARY KEY (id),
  KEY pictures_fit (fit_id, kind, side, id),
  KEY pictures_loose (kept, made_at),
  CONSTRAINT pictures_fit_of_shop FOREIGN KEY (fit_id, shop_id) REFERENCES fits (id, shop_id),
  CONSTRAINT pictures_maker FOREIGN KEY (made_by, shop_id) REFERENCES users (id, shop_id),
  CONSTRAINT pictures_side CHECK (side IN ('left', 'right'))
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci;

-- +goose Down
DROP TABLE pictures;
