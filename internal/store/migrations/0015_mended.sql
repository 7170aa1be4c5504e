-- +goose Up
-- A run that stands in the place of another as it was mended, and one that a person says is another
-- run than the one it looks like.
ALTER TABLE runs ADD COLUMN mends BOOLEAN NOT NULL DEFAULT FALSE, ADD COLUMN apart BOOLEAN NOT NULL DEFAULT FALSE;

-- What a runner sees on their pair, and where it rubs, is answered like what they say of it.
ALTER TABLE inspections ADD COLUMN answered_at DATETIME(6) NULL;
ALTER TABLE rubs ADD COLUMN by_runner BOOLEAN NOT NULL DEFAULT FALSE, ADD COLUMN answered_at DATETIME(6) NULL;

-- +goose Down
ALTER TABLE rubs DROP COLUMN by_runner, DROP COLUMN answered_at;
ALTER TABLE inspections DROP COLUMN answered_at;
ALTER TABLE runs DROP COLUMN mends, DROP COLUMN apart;
