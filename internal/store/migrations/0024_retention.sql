-- +goose Up
-- What was let go of: how much of what, by shop and day, and how old the oldest of it was. Nothing of whose it was.
CREATE TABLE let_go (
  shop_id BIGINT UNSIGNED NOT NULL,
  on_day DATE NOT NULL,
  kind VARCHAR(12) NOT NULL,
  gone INT UNSIGNED NOT NULL,
  oldest DATETIME(6) NOT NULL,
  PRIMARY KEY (shop_id, on_day, kind),
  CONSTRAINT let_go_shop FOREIGN KEY (shop_id) REFERENCES shops (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci;
-- What a shop has of what goes by its age is counted and found without reading the pictures.
ALTER TABLE pictures ADD KEY pictures_age (shop_id, kind, kept, made_at);
ALTER TABLE recordings ADD KEY recordings_shop_age (shop_id, frames_gone, kept, made_at);

-- +goose Down
ALTER TABLE recordings DROP KEY recordings_shop_age;
ALTER TABLE pictures DROP KEY pictures_age;
DROP TABLE let_go;
