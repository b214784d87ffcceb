-- Firmware that came as files is of a model: it is filed under an owner that is no phone.
ALTER TABLE phones ADD COLUMN isModel INTEGER NOT NULL DEFAULT 0;
