-- What a phone's tools can do, found out once for each mode and build.
CREATE TABLE surveys (
  serial TEXT NOT NULL,
  mode   TEXT NOT NULL,
  build  TEXT NOT NULL,
  survey TEXT NOT NULL,
  PRIMARY KEY (serial, mode, build)
) STRICT, WITHOUT ROWID;
