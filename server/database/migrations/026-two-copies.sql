-- There may be two copies of the larder at once: one in a bucket, and one on another disk.
CREATE TABLE packsOfCopies (
  id    INTEGER PRIMARY KEY,
  copy  TEXT NOT NULL CHECK (copy IN ('bucket', 'disk')),
  name  TEXT NOT NULL,
  bytes INTEGER NOT NULL,
  UNIQUE (copy, name)
) STRICT;
INSERT INTO packsOfCopies (id, copy, name, bytes) SELECT id, 'bucket', name, bytes FROM offsitePacks;

CREATE TABLE chunksOfCopies (
  digest      BLOB NOT NULL CHECK (length(digest) = 32),
  packId      INTEGER NOT NULL REFERENCES packsOfCopies (id) ON DELETE CASCADE,
  offset      INTEGER NOT NULL,
  storedBytes INTEGER NOT NULL,
  plainBytes  INTEGER NOT NULL,
  codec       INTEGER NOT NULL,
  PRIMARY KEY (digest, packId)
) STRICT, WITHOUT ROWID;
INSERT INTO chunksOfCopies SELECT * FROM offsiteChunks;
DROP TABLE offsiteChunks;
DROP TABLE offsitePacks;
ALTER TABLE packsOfCopies RENAME TO offsitePacks;
ALTER TABLE chunksOfCopies RENAME TO offsiteChunks;
CREATE INDEX offsiteChunksByPack ON offsiteChunks (packId);

CREATE TABLE keptByCopies (
  copy     TEXT NOT NULL CHECK (copy IN ('bucket', 'disk')),
  kind     TEXT NOT NULL CHECK (kind IN ('sets', 'copies', 'records')),
  id       TEXT NOT NULL,
  -- of its manifest on the shelf, as it was when it was sent
  stamp    TEXT NOT NULL,
  -- of its manifest's object
  bytes    INTEGER NOT NULL,
  since    INTEGER NOT NULL,
  PRIMARY KEY (copy, kind, id)
) STRICT, WITHOUT ROWID;
INSERT INTO keptByCopies SELECT 'bucket', kind, id, stamp, bytes, since FROM offsiteKept;
DROP TABLE offsiteKept;
ALTER TABLE keptByCopies RENAME TO offsiteKept;

-- Sets that were moved there: the larder has their names, and nothing else of them.
CREATE TABLE offsiteAlone (
  copy      TEXT NOT NULL CHECK (copy IN ('bucket', 'disk')),
  id        TEXT NOT NULL,
  label     TEXT NOT NULL,
  serial    TEXT NOT NULL,
  nickname  TEXT NOT NULL,
  createdAt INTEGER NOT NULL,
  bytes     INTEGER NOT NULL,
  since     INTEGER NOT NULL,
  PRIMARY KEY (copy, id)
) STRICT, WITHOUT ROWID;
