-- +goose Up
-- Who comes in and when, by the shop's own clock.
CREATE TABLE bookings (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT,
  shop_id BIGINT UNSIGNED NOT NULL,
  runner_id BIGINT UNSIGNED NOT NULL,
  on_day DATE NOT NULL,
  minute SMALLINT UNSIGNED NOT NULL,
  note VARCHAR(300) NOT NULL,
  made_by BIGINT UNSIGNED NOT NULL,
  made_at DATETIME(6) NOT NULL,
  came_at DATETIME(6) NULL,
  withdrawn_at DATETIME(6) NULL,
  PRIMARY KEY (id),
  KEY bookings_day (shop_id, on_day, minute),
  KEY bookings_runner (runner_id, on_day),
  CONSTRAINT bookings_runner_of_shop FOREIGN KEY (runner_id, shop_id) REFERENCES runners (id, shop_id),
  CONSTRAINT bookings_maker FOREIGN KEY (made_by, shop_id) REFERENCES users (id, shop_id),
  CONSTRAINT bookings_minute CHECK (minute < 1440)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci;

-- +goose Down
DROP TABLE bookings;
