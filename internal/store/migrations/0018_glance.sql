-- +goose Up
-- What was read of a film while the rest of it was on its way, and of how many frames.
ALTER TABLE recordings ADD COLUMN glance TEXT NULL, ADD COLUMN glanced INT NOT NULL DEFAULT 0;

-- +goose Down
ALTER TABLE recordings DROP COLUMN glance, DROP COLUMN glanced;
