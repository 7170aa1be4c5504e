-- +goose Up
-- Films of a gait. What pages read is small; the followed paths and the frames stand
-- in columns and rows of their own. Frames go in time (kept: nobody agreed means
-- hours); the numbers stay.
CREATE TABLE recordings (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT,
  shop_id BIGINT UNSIGNED NOT NULL,
  fit_id BIGINT UNSIGNED NOT NULL,
  number INT NOT NULL,
  description JSON NOT NULL,
  frames INT NOT NULL,
  width INT NOT NULL DEFAULT 0,
  height INT NOT NULL DEFAULT 0,
  state VARCHAR(8) NOT NULL,
  note VARCHAR(1000) NOT NULL DEFAULT '',
  followed MEDIUMBLOB NULL,
  corrections JSON NOT NULL,
  kept BOOLEAN NOT NULL,
  frames_gone BOOLEAN NOT NULL DEFAULT FALSE,
  made_by BIGINT UNSIGNED NOT NULL,
  made_at DATETIME(6) NOT NULL,
  PRIMARY KEY (id),
  UNIQUE KEY recordings_number (fit_id, number),
  KEY recordings_age (frames_gone, kept, made_at),
  CONSTRAINT recordings_fit FOREIGN KEY (fit_id, shop_id) REFERENCES fits (id, shop_id),
  CONSTRAINT recordings_maker FOREIGN KEY (made_by, shop_id) REFERENCES users (id, shop_id),
  CONSTRAINT recordings_states CHECK (state IN ('arriving', 'reading', 'ready', 'failed'))
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci;

CREATE TABLE recording_frames (
  recording_id BIGINT UNSIGNED NOT NULL,
  number INT NOT NULL,
  data MEDIUMBLOB NOT NULL,
  PRIMARY KEY (recording_id, number),
  CONSTRAINT recording_frames_of FOREIGN KEY (recording_id) REFERENCES recordings (id)
) ENGINE=InnoDB;

-- +goose Down
DROP TABLE recording_frames, recordings;
