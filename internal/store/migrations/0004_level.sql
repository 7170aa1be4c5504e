-- +goose Up
-- A fitter may overrule the level of support, with a reason.
ALTER TABLE decisions DROP CONSTRAINT decisions_kinds;
ALTER TABLE decisions ADD CONSTRAINT decisions_kinds CHECK (kind IN ('choice', 'refer_override', 'level'));

-- +goose Down
DELETE FROM decisions WHERE kind = 'level';
ALTER TABLE decisions DROP CONSTRAINT decisions_kinds;
ALTER TABLE decisions ADD CONSTRAINT decisions_kinds CHECK (kind IN ('choice', 'refer_override'));
