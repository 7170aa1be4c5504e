-- +goose Up
-- Which pairs a plan of changing over goes between, where they are the runner's: the rotation obeys it.
ALTER TABLE changes ADD COLUMN from_pair BIGINT UNSIGNED NULL, ADD COLUMN to_pair BIGINT UNSIGNED NULL,
  ADD CONSTRAINT changes_from FOREIGN KEY (from_pair, shop_id) REFERENCES pairs (id, shop_id),
  ADD CONSTRAINT changes_to FOREIGN KEY (to_pair, shop_id) REFERENCES pairs (id, shop_id);

-- +goose Down
ALTER TABLE changes DROP CONSTRAINT changes_from, DROP CONSTRAINT changes_to, DROP COLUMN from_pair, DROP COLUMN to_pair;
