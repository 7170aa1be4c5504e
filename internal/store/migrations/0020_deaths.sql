-- +goose Up
-- How often an instance died, or was killed, at a job: no try of the job's own.
ALTER TABLE jobs ADD COLUMN deaths INT NOT NULL DEFAULT 0;

-- +goose Down
ALTER TABLE jobs DROP COLUMN deaths;
