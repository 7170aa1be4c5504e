-- +goose Up
-- What a shop's own pairs and try-ons taught by a day: figures and counts alone, nobody's name. A row that is written is not changed.
CREATE TABLE lessons (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT,
  shop_id BIGINT UNSIGNED NOT NULL,
  day DATE NOT NULL,
  pairs INT NOT NULL,
  ended INT NOT NULL,
  tryons INT NOT NULL,
  with_two INT NOT NULL,
  life JSON NOT NULL,
  liking JSON NOT NULL,
  weights JSON NOT NULL,
  runners JSON NOT NULL,
  made_at DATETIME(6) NOT NULL,
  PRIMARY KEY (id),
  KEY lessons_shop (shop_id, made_at),
  CONSTRAINT lessons_of_shop FOREIGN KEY (shop_id) REFERENCES shops (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci;

-- +goose Down
DROP TABLE lessons;
