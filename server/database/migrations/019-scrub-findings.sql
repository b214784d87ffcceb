-- Damage that was found when the shelf was read again, and what came of it.
CREATE TABLE scrubFindings (
  id     INTEGER PRIMARY KEY,
  at     INTEGER NOT NULL,
  chunks INTEGER NOT NULL,
  -- when none of it was damaged any more
  goodAt INTEGER,
  -- why it could not be repaired from off-site
  fault  TEXT
) STRICT;
-- What it hurt, as far as that is still kept.
CREATE TABLE scrubFindingSets (
  findingId INTEGER NOT NULL REFERENCES scrubFindings (id) ON DELETE CASCADE,
  setId     TEXT NOT NULL REFERENCES sets (id) ON DELETE CASCADE,
  PRIMARY KEY (findingId, setId)
) STRICT, WITHOUT ROWID;
CREATE INDEX scrubFindingsBySet ON scrubFindingSets (setId);
CREATE TABLE scrubFindingCopies (
  findingId INTEGER NOT NULL REFERENCES scrubFindings (id) ON DELETE CASCADE,
  copyId    TEXT NOT NULL REFERENCES copies (id) ON DELETE CASCADE,
  PRIMARY KEY (findingId, copyId)
) STRICT, WITHOUT ROWID;
CREATE INDEX scrubFindingsByCopy ON scrubFindingCopies (copyId);
