-- Digests of an image's coarse pieces, by the SHA-256 of all of it, so that it need not be read to tell where a phone differs from it.
CREATE TABLE pieces (
  sha256    BLOB NOT NULL PRIMARY KEY,
  algorithm TEXT NOT NULL CHECK (algorithm IN ('sha256', 'md5')),
  digests   BLOB NOT NULL
) STRICT, WITHOUT ROWID;

CREATE INDEX imagesBySha256 ON images (sha256);

CREATE TRIGGER piecesGoWithImages AFTER DELETE ON images BEGIN
  DELETE FROM pieces WHERE sha256 = OLD.sha256 AND NOT EXISTS (SELECT 1 FROM images WHERE sha256 = OLD.sha256);
END;
