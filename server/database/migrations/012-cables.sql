-- How fast a phone's cable carries bytes as they are and packed, by the link's description: another port is another cable.
CREATE TABLE cables (
  serial TEXT NOT NULL,
  link   TEXT NOT NULL,
  memory TEXT NOT NULL,
  PRIMARY KEY (serial, link)
) STRICT, WITHOUT ROWID;

-- How fast a partition was last kept again or put back over a cable, all of it counted: what had not changed was only compared.
CREATE TABLE paces (
  serial         TEXT NOT NULL,
  partition      TEXT NOT NULL,
  link           TEXT NOT NULL,
  direction      TEXT NOT NULL CHECK (direction IN ('read', 'write')),
  bytesPerSecond REAL NOT NULL,
  PRIMARY KEY (serial, partition, link, direction)
) STRICT, WITHOUT ROWID;
