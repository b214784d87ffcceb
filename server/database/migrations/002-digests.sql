-- What a phone's partition digested to when it was last read, written or asked: newer than any set may be.
CREATE TABLE digests (
  serial    TEXT NOT NULL REFERENCES phones (serial),
  partition TEXT NOT NULL,
  sha256    BLOB NOT NULL CHECK (length(sha256) = 32),
  at        INTEGER NOT NULL,
  PRIMARY KEY (serial, partition)
) STRICT, WITHOUT ROWID;
