-- +goose Up
-- What is to be bought, added up by model, size and day: kept by differences beside the lines it
-- is made of, so that the buying list never adds up every order of a shop.
CREATE TABLE buying (
  shop_id BIGINT UNSIGNED NOT NULL,
  model_id BIGINT UNSIGNED NOT NULL,
  uk_half SMALLINT NOT NULL,
  width VARCHAR(4) NOT NULL,
  on_day DATE NOT NULL,
  pairs INT NOT NULL,
  PRIMARY KEY (shop_id, model_id, uk_half, width, on_day),
  KEY buying_day (shop_id, on_day, model_id, uk_half, width, pairs),
  CONSTRAINT buying_shop FOREIGN KEY (shop_id) REFERENCES shops (id) ON DELETE CASCADE
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci;

INSERT INTO buying (shop_id, model_id, uk_half, width, on_day, pairs)
SELECT shop_id, model_id, uk_half, width, on_day, COUNT(*) FROM verdict_lines
WHERE list = 'due' AND kind = 'order' AND model_id IS NOT NULL GROUP BY shop_id, model_id, uk_half, width, on_day;

ALTER TABLE verdict_lines DROP KEY verdict_lines_buying;

-- How who comes by an address reads lengths and distances.
ALTER TABLE links ADD COLUMN units VARCHAR(16) NOT NULL DEFAULT 'metric',
  ADD CONSTRAINT links_units CHECK (units IN ('metric', 'imperial'));

-- +goose Down
ALTER TABLE links DROP CONSTRAINT links_units, DROP COLUMN units;
ALTER TABLE verdict_lines ADD KEY verdict_lines_buying (shop_id, list, kind, model_id, uk_half, width, on_day, runner_id);
DROP TABLE buying;
