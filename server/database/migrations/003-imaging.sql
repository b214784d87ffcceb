-- Images of files, images that were read in part, and images that did not come out right.
ALTER TABLE images ADD COLUMN kind TEXT NOT NULL DEFAULT 'block' CHECK (kind IN ('block', 'archive'));
-- JSON [[offset, bytes], …]: what was read, and what both digests cover; NULL when that is everything
ALTER TABLE images ADD COLUMN ranges TEXT CHECK (json_valid(ranges));
-- JSON [[offset, bytes], …]: what the phone did not give the same way twice, or not at all
ALTER TABLE images ADD COLUMN unsettled TEXT CHECK (json_valid(unsettled));

ALTER TABLE sets ADD COLUMN origin TEXT NOT NULL DEFAULT 'phone' CHECK (origin IN ('phone', 'imported'));

-- Waiting for the phone, or paused: no time of work.
ALTER TABLE runs ADD COLUMN idleMs INTEGER NOT NULL DEFAULT 0;
ALTER TABLE runs ADD COLUMN link TEXT;

-- What is on the shelf of sets that are not finished, so that a run can go on from there.
CREATE TABLE unfinishedSets (
  runId TEXT PRIMARY KEY REFERENCES runs (id) ON DELETE CASCADE,
  plan  TEXT NOT NULL CHECK (json_valid(plan))
) STRICT, WITHOUT ROWID;

CREATE TABLE unfinishedImages (
  runId     TEXT NOT NULL REFERENCES unfinishedSets (runId) ON DELETE CASCADE,
  partition TEXT NOT NULL,
  ranges    TEXT CHECK (json_valid(ranges)),
  -- JSON of the manifest's entry without its chunks, once it is whole
  image     TEXT CHECK (json_valid(image)),
  PRIMARY KEY (runId, partition)
) STRICT, WITHOUT ROWID;

CREATE TABLE unfinishedChunks (
  runId     TEXT NOT NULL,
  partition TEXT NOT NULL,
  seq       INTEGER NOT NULL,
  -- bytes of the ranges up to the end of these chunks
  taken     INTEGER NOT NULL,
  chunks    BLOB NOT NULL CHECK (length(chunks) % 32 = 0),
  PRIMARY KEY (runId, partition, seq),
  FOREIGN KEY (runId, partition) REFERENCES unfinishedImages (runId, partition) ON DELETE CASCADE
) STRICT;
