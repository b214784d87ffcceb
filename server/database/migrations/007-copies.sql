-- Copies of apps (program, data and grants) and of personal records, each at one time.
CREATE TABLE copies (
  id         TEXT PRIMARY KEY,
  kind       TEXT NOT NULL CHECK (kind IN ('app', 'records')),
  serial     TEXT NOT NULL REFERENCES phones (serial),
  -- the package, or the kind of records
  subject    TEXT NOT NULL,
  note       TEXT NOT NULL,
  createdAt  INTEGER NOT NULL,
  addedBytes INTEGER NOT NULL,
  binnedAt   INTEGER,
  origin     TEXT NOT NULL CHECK (origin IN ('phone', 'image', 'imported')),
  -- JSON of `CopiedApp` or `CopiedRecords`
  facts      TEXT NOT NULL CHECK (json_valid(facts))
) STRICT;

CREATE INDEX copiesByPhone ON copies (serial, subject, createdAt);

CREATE TABLE copyParts (
  copyId     TEXT NOT NULL REFERENCES copies (id) ON DELETE CASCADE,
  position   INTEGER NOT NULL,
  name       TEXT NOT NULL,
  kind       TEXT NOT NULL,
  bytes      INTEGER NOT NULL,
  chunkBytes INTEGER NOT NULL,
  sha256     BLOB NOT NULL CHECK (length(sha256) = 32),
  -- as in images
  chunks     BLOB NOT NULL CHECK (length(chunks) % 32 = 0),
  damage     TEXT,
  PRIMARY KEY (copyId, name)
) STRICT;

-- Apps that are not to be shown among the others.
CREATE TABLE setAside (
  package TEXT PRIMARY KEY,
  at      INTEGER NOT NULL
) STRICT, WITHOUT ROWID;
