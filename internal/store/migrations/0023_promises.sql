-- +goose Up
-- The day on which a pair's next one was first said to be due, and until when it was said to last with the chance of its P20 date.
ALTER TABLE pairs ADD COLUMN order_told_on DATE NULL, ADD COLUMN lasts_until DATE NULL;
-- How promises were kept by the day of a lesson, by their kind: counts alone.
ALTER TABLE lessons ADD COLUMN promises JSON NULL;

-- +goose Down
ALTER TABLE lessons DROP COLUMN promises;
ALTER TABLE pairs DROP COLUMN order_told_on, DROP COLUMN lasts_until;
