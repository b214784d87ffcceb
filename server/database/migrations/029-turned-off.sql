-- What came with the system of a phone and was off when its apps were last listed: for the next phone of its model.
CREATE TABLE turnedOff (
  serial TEXT PRIMARY KEY REFERENCES phones (serial),
  at     INTEGER NOT NULL,
  -- JSON
  apps   TEXT NOT NULL
) STRICT;
