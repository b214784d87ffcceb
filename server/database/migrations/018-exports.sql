-- Exports of sets that were written into folders, as far as they were not removed here again.
CREATE TABLE exports (
  id       TEXT NOT NULL PRIMARY KEY,
  path     TEXT NOT NULL UNIQUE,
  label    TEXT NOT NULL,
  serial   TEXT NOT NULL,
  nickname TEXT NOT NULL,
  madeAt   INTEGER NOT NULL,
  isSealed INTEGER NOT NULL,
  files    TEXT NOT NULL CHECK (json_valid(files)) -- name, bytes, sha256
) STRICT, WITHOUT ROWID;
CREATE INDEX exportsByPhone ON exports (serial);
