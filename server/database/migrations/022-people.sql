-- Who works at the bench. Who has left stays, since what was done is told with names.
CREATE TABLE operators (
  id         INTEGER PRIMARY KEY,
  name       TEXT NOT NULL,
  role       TEXT NOT NULL CHECK (role IN ('technician', 'owner')),
  -- scrypt's salt, cost and key
  passphrase TEXT NOT NULL CHECK (json_valid(passphrase)),
  createdAt  INTEGER NOT NULL,
  endedAt    INTEGER
) STRICT;
CREATE UNIQUE INDEX operatorsByName ON operators (name COLLATE NOCASE) WHERE endedAt IS NULL;

CREATE TABLE sessions (
  -- SHA-256 of what the browser has
  digest     BLOB PRIMARY KEY,
  operatorId INTEGER NOT NULL REFERENCES operators (id) ON DELETE CASCADE,
  beganAt    INTEGER NOT NULL,
  seenAt     INTEGER NOT NULL
) STRICT, WITHOUT ROWID;

-- What was done, line by line, each with the digest of the one before it.
CREATE TABLE record (
  n    INTEGER PRIMARY KEY,
  line TEXT NOT NULL
) STRICT;
CREATE TRIGGER recordStays BEFORE UPDATE ON record
BEGIN
  SELECT RAISE(ABORT, 'the record is only added to');
END;
CREATE TRIGGER recordIsKept BEFORE DELETE ON record
BEGIN
  SELECT RAISE(ABORT, 'the record is only added to');
END;

-- By which the record names a phone; gone once the phone is erased.
CREATE TABLE recordPhones (
  ref    INTEGER PRIMARY KEY AUTOINCREMENT,
  serial TEXT NOT NULL UNIQUE
) STRICT;

ALTER TABLE runs ADD COLUMN operator TEXT;
ALTER TABLE jobNotes ADD COLUMN operator TEXT;
