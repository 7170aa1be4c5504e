-- +goose Up

-- A finding of a model names it in a column of its own; a suitability has its kind of run
-- and its ground, a comparison its second model. Until now the model's id stood as the
-- number of the row, a suitability in the finding's name with its value before the reason,
-- and a comparison as "left>right" in a text.
ALTER TABLE findings
  ADD COLUMN model_id BIGINT UNSIGNED NULL,
  ADD COLUMN other_model_id BIGINT UNSIGNED NULL,
  ADD COLUMN run_kind VARCHAR(12) NOT NULL DEFAULT '',
  ADD COLUMN ground VARCHAR(12) NOT NULL DEFAULT '';

UPDATE findings f JOIN models m ON m.id = f.repeat_no AND m.shop_id = f.shop_id
SET f.model_id = m.id, f.repeat_no = 0
WHERE f.name IN ('disliked', 'let_in', 'try_comfort', 'try_heel', 'try_midfoot', 'try_forefoot', 'try_lift', 'try_room', 'try_lockdown',
  'try_pressure', 'try_lacing', 'try_later', 'try_word', 'try_left', 'try_set');

UPDATE findings f JOIN models m ON m.id = f.repeat_no AND m.shop_id = f.shop_id
SET f.model_id = m.id, f.repeat_no = 0,
  f.ground = SUBSTRING_INDEX(f.name, '_', -1),
  f.run_kind = SUBSTRING(f.name, 6, CHAR_LENGTH(f.name) - 6 - CHAR_LENGTH(SUBSTRING_INDEX(f.name, '_', -1))),
  f.number_value = CAST(SUBSTRING_INDEX(f.text_value, ' ', 1) AS DOUBLE),
  f.text_value = SUBSTRING(f.text_value, LOCATE(' ', f.text_value) + 1),
  f.name = 'suitability'
WHERE f.name LIKE 'suit\_%';

UPDATE findings f
  JOIN models l ON l.shop_id = f.shop_id AND l.code = SUBSTRING_INDEX(REPLACE(REPLACE(f.text_value, '<', '>'), '=', '>'), '>', 1)
  JOIN models r ON r.shop_id = f.shop_id AND r.code = SUBSTRING_INDEX(REPLACE(REPLACE(f.text_value, '<', '>'), '=', '>'), '>', -1)
SET f.model_id = l.id, f.other_model_id = r.id,
  f.text_value = IF(LOCATE('>', f.text_value) > 0, 'left', IF(LOCATE('<', f.text_value) > 0, 'right', 'even'))
WHERE f.name = 'compared' AND NOT f.withdrawn;

-- One that was taken back names the models of the one that it took back.
UPDATE findings w JOIN findings f ON f.fit_id = w.fit_id AND f.name = 'compared' AND f.repeat_no = w.repeat_no AND NOT f.withdrawn
  AND f.id < w.id
SET w.model_id = f.model_id, w.other_model_id = f.other_model_id
WHERE w.name = 'compared' AND w.withdrawn;

ALTER TABLE findings DROP KEY findings_latest,
  ADD KEY findings_latest (fit_id, name, side, repeat_no, model_id, other_model_id, run_kind, ground, id),
  ADD CONSTRAINT findings_model FOREIGN KEY (model_id, shop_id) REFERENCES models (id, shop_id),
  ADD CONSTRAINT findings_other_model FOREIGN KEY (other_model_id, shop_id) REFERENCES models (id, shop_id);

-- A form's token is of one form with one content.
ALTER TABLE submissions ADD COLUMN form VARCHAR(120) NOT NULL DEFAULT '', ADD COLUMN digest BINARY(32) NOT NULL DEFAULT '';

-- The parts of a run that was parted are found by it.
ALTER TABLE runs ADD KEY runs_split (split_from);

-- A runner who is being erased is nobody's from then on; their rows go by a job.
ALTER TABLE runners ADD COLUMN erased_at DATETIME(6) NULL;

-- Names of files keep their ending.
ALTER TABLE run_files MODIFY COLUMN name VARCHAR(255) NOT NULL;

-- Work that outlasts a request. A row is claimed by an instance, which tells by its beat
-- that it still works; one whose beat stopped is taken up by another.
CREATE TABLE jobs (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT,
  shop_id BIGINT UNSIGNED NULL,
  kind VARCHAR(24) NOT NULL,
  subject VARCHAR(80) NOT NULL,
  live BOOLEAN NULL,
  args JSON NOT NULL,
  state VARCHAR(10) NOT NULL DEFAULT 'waiting',
  done INT NOT NULL DEFAULT 0,
  total INT NOT NULL DEFAULT 0,
  note VARCHAR(1000) NOT NULL DEFAULT '',
  tries INT NOT NULL DEFAULT 0,
  run_after DATETIME(6) NOT NULL,
  beat_at DATETIME(6) NULL,
  worker VARCHAR(40) NOT NULL DEFAULT '',
  made_by BIGINT UNSIGNED NULL,
  made_at DATETIME(6) NOT NULL,
  ended_at DATETIME(6) NULL,
  PRIMARY KEY (id),
  UNIQUE KEY jobs_subject (kind, subject, live),
  KEY jobs_next (state, run_after, id),
  KEY jobs_ended (ended_at),
  CONSTRAINT jobs_states CHECK (state IN ('waiting', 'running', 'done', 'failed', 'cancelled'))
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci;

-- Files that wait to be put in: what was sent in pieces, and what was read of it.
CREATE TABLE uploads (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT,
  shop_id BIGINT UNSIGNED NOT NULL,
  runner_id BIGINT UNSIGNED NULL,
  kind VARCHAR(12) NOT NULL,
  name VARCHAR(255) NOT NULL,
  how VARCHAR(12) NOT NULL DEFAULT '',
  state VARCHAR(10) NOT NULL,
  asked JSON NOT NULL,
  found LONGBLOB NOT NULL DEFAULT '',
  made_by BIGINT UNSIGNED NOT NULL,
  by_link BOOLEAN NOT NULL DEFAULT FALSE,
  made_at DATETIME(6) NOT NULL,
  PRIMARY KEY (id),
  KEY uploads_of (shop_id, kind, runner_id, made_by, id),
  KEY uploads_age (made_at),
  CONSTRAINT uploads_maker FOREIGN KEY (made_by, shop_id) REFERENCES users (id, shop_id),
  CONSTRAINT uploads_states CHECK (state IN ('arriving', 'reading', 'waiting', 'applying', 'done', 'failed'))
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci;

CREATE TABLE upload_files (
  upload_id BIGINT UNSIGNED NOT NULL,
  number INT NOT NULL,
  piece INT NOT NULL,
  name VARCHAR(255) NOT NULL,
  data MEDIUMBLOB NOT NULL,
  PRIMARY KEY (upload_id, number, piece),
  CONSTRAINT upload_files_of FOREIGN KEY (upload_id) REFERENCES uploads (id) ON DELETE CASCADE
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci;

CREATE TABLE upload_tracks (
  upload_id BIGINT UNSIGNED NOT NULL,
  number INT NOT NULL,
  name VARCHAR(255) NOT NULL,
  digest BINARY(32) NOT NULL,
  data MEDIUMBLOB NOT NULL,
  PRIMARY KEY (upload_id, number),
  CONSTRAINT upload_tracks_of FOREIGN KEY (upload_id) REFERENCES uploads (id) ON DELETE CASCADE
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci;

-- What a runner's pairs come to, kept so that lists over all runners are read and not
-- computed: as of a day, and stale once a fact of the runner has changed.
CREATE TABLE verdicts (
  runner_id BIGINT UNSIGNED NOT NULL,
  shop_id BIGINT UNSIGNED NOT NULL,
  stale BOOLEAN NOT NULL DEFAULT TRUE,
  change_no BIGINT NOT NULL DEFAULT 1,
  as_of DATE NOT NULL DEFAULT '1970-01-01',
  fault VARCHAR(300) NOT NULL DEFAULT '',
  PRIMARY KEY (runner_id),
  KEY verdicts_stale (shop_id, stale, runner_id),
  KEY verdicts_day (shop_id, as_of, runner_id),
  KEY verdicts_fault (shop_id, fault, runner_id),
  CONSTRAINT verdicts_runner FOREIGN KEY (runner_id, shop_id) REFERENCES runners (id, shop_id) ON DELETE CASCADE
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci;

CREATE TABLE verdict_lines (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT,
  shop_id BIGINT UNSIGNED NOT NULL,
  runner_id BIGINT UNSIGNED NOT NULL,
  fit_id BIGINT UNSIGNED NOT NULL,
  pair_id BIGINT UNSIGNED NULL,
  model_id BIGINT UNSIGNED NULL,
  list VARCHAR(8) NOT NULL,
  kind VARCHAR(12) NOT NULL,
  urgency TINYINT NOT NULL DEFAULT 0,
  on_day DATE NOT NULL,
  uk_half SMALLINT NOT NULL DEFAULT 0,
  width VARCHAR(4) NOT NULL DEFAULT '',
  label VARCHAR(80) NOT NULL DEFAULT '',
  words VARCHAR(300) NOT NULL,
  detail JSON NOT NULL,
  PRIMARY KEY (id),
  KEY verdict_lines_runner (runner_id),
  KEY verdict_lines_ending (shop_id, list, urgency, id),
  KEY verdict_lines_day (shop_id, list, on_day, id),
  KEY verdict_lines_kind (shop_id, list, kind, on_day, id),
  KEY verdict_lines_buying (shop_id, list, kind, model_id, uk_half, width, on_day, runner_id),
  CONSTRAINT verdict_lines_runner_of FOREIGN KEY (runner_id, shop_id) REFERENCES runners (id, shop_id) ON DELETE CASCADE,
  CONSTRAINT verdict_lines_lists CHECK (list IN ('ending', 'due'))
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci;

INSERT INTO verdicts (runner_id, shop_id) SELECT DISTINCT p.runner_id, p.shop_id FROM pairs p JOIN runners r ON r.id = p.runner_id
  AND r.practice_seed IS NULL;

-- +goose Down
DROP TABLE verdict_lines, verdicts, upload_tracks, upload_files, uploads, jobs;
DELETE FROM links WHERE runner_id IN (SELECT id FROM runners WHERE erased_at IS NOT NULL);
ALTER TABLE runners DROP COLUMN erased_at;
ALTER TABLE runs DROP KEY runs_split;
ALTER TABLE submissions DROP COLUMN form, DROP COLUMN digest;
ALTER TABLE findings DROP CONSTRAINT findings_model, DROP CONSTRAINT findings_other_model;
UPDATE findings SET name = CONCAT('suit_', run_kind, '_', ground), repeat_no = model_id,
  text_value = IF(withdrawn, NULL, CONCAT(FORMAT(number_value, 2), ' ', text_value)), number_value = NULL WHERE name = 'suitability';
UPDATE findings f JOIN models l ON l.id = f.model_id JOIN models r ON r.id = f.other_model_id
SET f.text_value = CONCAT(l.code, IF(f.text_value = 'left', '>', IF(f.text_value = 'right', '<', '=')), r.code) WHERE f.name = 'compared'
  AND NOT f.withdrawn;
UPDATE findings SET repeat_no = model_id WHERE model_id IS NOT NULL AND name NOT LIKE 'suit\_%' AND name <> 'compared';
ALTER TABLE findings DROP KEY findings_latest, ADD KEY findings_latest (fit_id, name, side, repeat_no, id),
  DROP COLUMN model_id, DROP COLUMN other_model_id, DROP COLUMN run_kind, DROP COLUMN ground;
