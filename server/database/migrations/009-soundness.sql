-- What is wrong with a stored chunk. It is not relied upon any more, and stored anew when it comes again.
ALTER TABLE chunks ADD COLUMN damage TEXT;
CREATE INDEX damagedChunks ON chunks (digest) WHERE damage IS NOT NULL;

-- When a pack was last read back whole, and when its file was last modified by then (both in milliseconds since 1970).
ALTER TABLE packs ADD COLUMN checkedAt INTEGER;
ALTER TABLE packs ADD COLUMN modifiedAt INTEGER;

-- Packs that were freed and lie aside for some days. `sinceMs` is of the larder's own time.
CREATE TABLE freedPacks (
  name    TEXT PRIMARY KEY,
  bytes   INTEGER NOT NULL,
  sinceMs INTEGER NOT NULL
) STRICT, WITHOUT ROWID;

-- The shelf that this catalogue is of; `generation` as the shelf has it, `intent` marks the one on its way there.
CREATE TABLE shelf (
  id         TEXT PRIMARY KEY,
  generation INTEGER NOT NULL,
  intent     TEXT
) STRICT, WITHOUT ROWID;

-- The larder's own time: milliseconds that have passed for sure, and what the computer's clock said then.
CREATE TABLE larderTime (
  one       INTEGER PRIMARY KEY CHECK (one = 1),
  elapsedMs INTEGER NOT NULL,
  wallAt    INTEGER NOT NULL
) STRICT;

-- In the bin since, in the larder's own time; and whether its manifest is being changed.
ALTER TABLE sets ADD COLUMN binnedMs INTEGER;
ALTER TABLE sets ADD COLUMN changing INTEGER NOT NULL DEFAULT 0;
ALTER TABLE copies ADD COLUMN binnedMs INTEGER;
ALTER TABLE copies ADD COLUMN changing INTEGER NOT NULL DEFAULT 0;
UPDATE sets SET binnedMs = 0 WHERE binnedAt IS NOT NULL;
UPDATE copies SET binnedMs = 0 WHERE binnedAt IS NOT NULL;
