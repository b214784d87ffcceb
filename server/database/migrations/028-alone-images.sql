-- What sets had that lie in a copy alone: files in them are found by their names all the same.
CREATE TABLE offsiteAloneImages (
  setId     TEXT NOT NULL,
  partition TEXT NOT NULL,
  bytes     INTEGER NOT NULL,
  sha256    BLOB NOT NULL CHECK (length(sha256) = 32),
  PRIMARY KEY (setId, partition)
) STRICT, WITHOUT ROWID;
CREATE INDEX offsiteAloneImagesByDigest ON offsiteAloneImages (sha256);
