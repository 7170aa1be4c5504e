-- +goose Up
-- Insoles that the shop measured: what a model is longer or shorter than its maker tells.
CREATE TABLE insoles (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT,
  shop_id BIGINT UNSIGNED NOT NULL,
  model_id BIGINT UNSIGNED NOT NULL,
  uk_half SMALLINT NOT NULL,
  length_mm DOUBLE NOT NULL,
  made_by BIGINT UNSIGNED NOT NULL,
  made_at DATETIME(6) NOT NULL,
  withdrawn_at DATETIME(6) NULL,
  PRIMARY KEY (id),
  KEY insoles_model (model_id, id),
  CONSTRAINT insoles_of_model FOREIGN KEY (model_id) REFERENCES models (id),
  CONSTRAINT insoles_maker FOREIGN KEY (made_by, shop_id) REFERENCES users (id, shop_id),
  CONSTRAINT insoles_length CHECK (length_mm > 0)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci;

-- The barcode on the box of a model in a size and width, as fourteen digits.
CREATE TABLE barcodes (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT,
  shop_id BIGINT UNSIGNED NOT NULL,
  code CHAR(14) NOT NULL,
  model_id BIGINT UNSIGNED NOT NULL,
  uk_half SMALLINT NOT NULL,
  width VARCHAR(4) NOT NULL,
  made_by BIGINT UNSIGNED NOT NULL,
  made_at DATETIME(6) NOT NULL,
  PRIMARY KEY (id),
  UNIQUE KEY barcodes_code (shop_id, code),
  KEY barcodes_model (model_id, uk_half),
  CONSTRAINT barcodes_of_model FOREIGN KEY (model_id) REFERENCES models (id),
  CONSTRAINT barcodes_maker FOREIGN KEY (made_by, shop_id) REFERENCES users (id, shop_id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci;

-- +goose Down
DROP TABLE barcodes, insoles;
