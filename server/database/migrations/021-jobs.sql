-- A visit of one phone, or of several, to the shop. Runs, sets and copies of its phones belong to it by their time.
CREATE TABLE jobs (
  id           TEXT PRIMARY KEY,
  -- on paper
  number       INTEGER NOT NULL UNIQUE,
  who          TEXT NOT NULL,
  contact      TEXT NOT NULL,
  complaint    TEXT NOT NULL,
  agreed       TEXT NOT NULL CHECK (json_valid(agreed)),
  arrival      TEXT NOT NULL,
  accessories  TEXT NOT NULL,
  stage        TEXT NOT NULL CHECK (stage IN ('received', 'kept', 'worked on', 'proved', 'handed over')),
  openedAt     INTEGER NOT NULL,
  handedOverAt INTEGER
) STRICT;

CREATE TABLE jobPhones (
  jobId  TEXT NOT NULL REFERENCES jobs (id) ON DELETE CASCADE,
  serial TEXT NOT NULL REFERENCES phones (serial),
  PRIMARY KEY (jobId, serial)
) STRICT, WITHOUT ROWID;
CREATE INDEX jobPhonesBySerial ON jobPhones (serial);

CREATE TABLE jobNotes (
  id    INTEGER PRIMARY KEY,
  jobId TEXT NOT NULL REFERENCES jobs (id) ON DELETE CASCADE,
  at    INTEGER NOT NULL,
  text  TEXT NOT NULL
) STRICT;
CREATE INDEX jobNotesByJob ON jobNotes (jobId);
