-- What the larder is set to, by name; what is not here is as usual.
CREATE TABLE settings (
  name  TEXT NOT NULL PRIMARY KEY,
  value TEXT NOT NULL CHECK (json_valid(value))
) STRICT, WITHOUT ROWID;

-- The newest come first wherever they are looked through.
CREATE INDEX setsByTime ON sets (createdAt);
