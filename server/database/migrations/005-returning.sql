-- When the phone was last known to wipe its user data, and the key of what was encrypted with it.
ALTER TABLE phones ADD COLUMN wipedAt INTEGER;

-- Of doneBytes, what passed the cable: verifying and proving do not; null for runs of before.
ALTER TABLE runs ADD COLUMN carriedBytes INTEGER;

-- How long phones took to start after they were written to.
CREATE TABLE starts (
  serial TEXT NOT NULL REFERENCES phones (serial),
  at     INTEGER NOT NULL,
  ms     INTEGER NOT NULL,
  PRIMARY KEY (serial, at)
) STRICT, WITHOUT ROWID;

-- What a run that put something back found on the phone afterwards.
CREATE TABLE proofs (
  runId TEXT PRIMARY KEY REFERENCES runs (id) ON DELETE CASCADE,
  proof TEXT NOT NULL CHECK (json_valid(proof))
) STRICT;
