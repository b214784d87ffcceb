-- Pinned: it stays until somebody says otherwise; its manifest says so as well.
ALTER TABLE sets ADD COLUMN pinned INTEGER NOT NULL DEFAULT 0 CHECK (pinned IN (0, 1));

-- Which sets stay by themselves: of all phones where the serial is empty, of one phone otherwise.
CREATE TABLE keepRules (
  serial TEXT NOT NULL PRIMARY KEY,
  newest INTEGER NOT NULL CHECK (newest >= 1),
  months INTEGER NOT NULL CHECK (months >= 0)
) STRICT, WITHOUT ROWID;
