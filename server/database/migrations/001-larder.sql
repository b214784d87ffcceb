CREATE TABLE phones (
  serial     TEXT PRIMARY KEY,
  maker      TEXT NOT NULL,
  model      TEXT NOT NULL,
  nickname   TEXT NOT NULL,
  lastSeenAt INTEGER NOT NULL
) STRICT;

CREATE TABLE packs (
  id    INTEGER PRIMARY KEY,
  name  TEXT NOT NULL UNIQUE,
  bytes INTEGER NOT NULL
) STRICT;

CREATE TABLE chunks (
  digest      BLOB PRIMARY KEY CHECK (length(digest) = 32),
  packId      INTEGER NOT NULL REFERENCES packs (id),
  offset      INTEGER NOT NULL,
  storedBytes INTEGER NOT NULL,
  plainBytes  INTEGER NOT NULL,
  codec       INTEGER NOT NULL
) STRICT, WITHOUT ROWID;

CREATE INDEX chunksByPack ON chunks (packId);

CREATE TABLE sets (
  id         TEXT PRIMARY KEY,
  label      TEXT NOT NULL,
  note       TEXT NOT NULL,
  serial     TEXT NOT NULL REFERENCES phones (serial),
  mode       TEXT NOT NULL,
  condition  TEXT NOT NULL CHECK (json_valid(condition)),
  createdAt  INTEGER NOT NULL,
  elapsedMs  INTEGER NOT NULL,
  addedBytes INTEGER NOT NULL,
  verifiedAt INTEGER,
  binnedAt   INTEGER,
  UNIQUE (serial, label)
) STRICT;

CREATE TABLE images (
  setId      TEXT NOT NULL REFERENCES sets (id) ON DELETE CASCADE,
  position   INTEGER NOT NULL,
  partition  TEXT NOT NULL,
  role       TEXT NOT NULL,
  bytes      INTEGER NOT NULL,
  chunkBytes INTEGER NOT NULL,
  sha256     BLOB NOT NULL CHECK (length(sha256) = 32),
  md5        BLOB NOT NULL CHECK (length(md5) = 16),
  -- digests of 32 bytes one after the other; 32 zero bytes stand for a chunk of zeros
  chunks     BLOB NOT NULL CHECK (length(chunks) % 32 = 0),
  fileSystem TEXT,
  usedBytes  INTEGER,
  damage     TEXT,
  PRIMARY KEY (setId, partition)
) STRICT;

CREATE INDEX imagesByPartition ON images (partition);

CREATE TABLE runs (
  id        TEXT PRIMARY KEY,
  kind      TEXT NOT NULL,
  title     TEXT NOT NULL,
  serial    TEXT,
  mode      TEXT,
  setId     TEXT,
  state     TEXT NOT NULL,
  startedAt INTEGER NOT NULL,
  endedAt   INTEGER,
  doneBytes INTEGER NOT NULL DEFAULT 0,
  outcome   TEXT,
  detail    TEXT NOT NULL CHECK (json_valid(detail))
) STRICT;

CREATE INDEX runsByStart ON runs (startedAt);

CREATE TABLE runLog (
  runId TEXT NOT NULL REFERENCES runs (id) ON DELETE CASCADE,
  seq   INTEGER NOT NULL,
  at    INTEGER NOT NULL,
  level TEXT NOT NULL,
  text  TEXT NOT NULL,
  PRIMARY KEY (runId, seq)
) STRICT, WITHOUT ROWID;
