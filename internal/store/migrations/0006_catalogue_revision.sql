-- +goose Up

-- Each change of a shop's catalogue has a number, which the models that it changed
-- carry: what was loaded before is brought up to date by those alone.
ALTER TABLE shops ADD COLUMN catalogue_revision BIGINT NOT NULL DEFAULT 0;
ALTER TABLE models ADD COLUMN revision BIGINT NOT NULL DEFAULT 0, ADD KEY models_revision (shop_id, revision);

-- +goose Down
ALTER TABLE models DROP KEY models_revision, DROP COLUMN revision;
ALTER TABLE shops DROP COLUMN catalogue_revision;
