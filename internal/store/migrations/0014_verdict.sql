-- +goose Up
-- What a pair ran before anybody counted: km with the SD of their ln, or nobody's idea. A pair
-- that its wear sets aside may be let in again with a reason; two alike are told apart by a name.
ALTER TABLE pairs ADD COLUMN km_before DOUBLE NULL, ADD COLUMN km_before_doubt DOUBLE NULL,
  ADD COLUMN km_unknown BOOLEAN NOT NULL DEFAULT FALSE, ADD COLUMN let_in_reason VARCHAR(300) NOT NULL DEFAULT '',
  ADD COLUMN called VARCHAR(60) NOT NULL DEFAULT '',
  ADD CONSTRAINT pairs_before CHECK (km_before IS NULL OR km_before >= 0);

-- A pair that was brought along and never had a run put down: nobody counted.
UPDATE pairs p SET p.km_unknown = TRUE WHERE p.fit_id IS NULL AND p.first_worn IS NOT NULL
  AND NOT EXISTS (SELECT 1 FROM runs r WHERE r.pair_id = p.id AND r.withdrawn_at IS NULL);

-- What a runner says on their own page stands under their own name, until somebody of the shop has
-- answered it.
ALTER TABLE pair_reports ADD COLUMN by_runner BOOLEAN NOT NULL DEFAULT FALSE, ADD COLUMN answered_at DATETIME(6) NULL;
ALTER TABLE inspections ADD COLUMN by_runner BOOLEAN NOT NULL DEFAULT FALSE;

-- +goose Down
ALTER TABLE inspections DROP COLUMN by_runner;
ALTER TABLE pair_reports DROP COLUMN by_runner, DROP COLUMN answered_at;
ALTER TABLE pairs DROP CONSTRAINT pairs_before, DROP COLUMN km_before, DROP COLUMN km_before_doubt, DROP COLUMN km_unknown,
  DROP COLUMN let_in_reason, DROP COLUMN called;
