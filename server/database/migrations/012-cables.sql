-- How fast a phone's cable carries bytes as they are and packed, by the link's description: another port is another cable.
CREATE TABLE cables (
  serial TEXT NOT NULL,
  link   TEXT NOT NULL,
  memory TEXT NOT NULL,
  PRIMARY KEY (serial, link)
) STRICT, WITHOUT ROWID;
