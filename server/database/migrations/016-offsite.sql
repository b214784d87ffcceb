-- What the bucket has, as it was when it was looked at last. It is a memory: the bucket itself is what counts.
CREATE TABLE offsitePacks (
  id    INTEGER PRIMARY KEY,
  name  TEXT NOT NULL UNIQUE,
  bytes INTEGER NOT NULL
) STRICT;

CREATE TABLE offsiteChunks (
  digest      BLOB NOT NULL CHECK (length(digest) = 32),
  packId      INTEGER NOT NULL REFERENCES offsitePacks (id) ON DELETE CASCADE,
  offset      INTEGER NOT NULL,
  storedBytes INTEGER NOT NULL,
  plainBytes  INTEGER NOT NULL,
  codec       INTEGER NOT NULL,
  PRIMARY KEY (digest, packId)
) STRICT, WITHOUT ROWID;
CREATE INDEX offsiteChunksByPack ON offsiteChunks (packId);

-- Sets, copies and records of which the bucket has everything, manifest included.
CREATE TABLE offsiteKept (
  kind     TEXT NOT NULL CHECK (kind IN ('sets', 'copies', 'records')),
  id       TEXT NOT NULL,
  -- of its manifest on the shelf, as it was when it was sent
  stamp    TEXT NOT NULL,
  -- of its manifest's object
  bytes    INTEGER NOT NULL,
  since    INTEGER NOT NULL,
  PRIMARY KEY (kind, id)
) STRICT, WITHOUT ROWID;
