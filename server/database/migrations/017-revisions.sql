-- Which sets changed since when: every change of what is told of a set gives it a number that none had before.
CREATE TABLE revision (
  one   INTEGER NOT NULL PRIMARY KEY CHECK (one = 1),
  value INTEGER NOT NULL
) STRICT;
INSERT INTO revision (one, value) VALUES (1, 1);

ALTER TABLE sets ADD COLUMN revision INTEGER NOT NULL DEFAULT 1;
CREATE INDEX setsByRevision ON sets (revision);

CREATE TRIGGER setAdded AFTER INSERT ON sets BEGIN
  UPDATE revision SET value = value + 1;
  UPDATE sets SET revision = (SELECT value FROM revision) WHERE id = NEW.id;
END;
CREATE TRIGGER setChanged
AFTER UPDATE OF label, note, serial, mode, condition, createdAt, elapsedMs, addedBytes, verifiedAt, binnedAt, origin, pinned ON sets BEGIN
  UPDATE revision SET value = value + 1;
  UPDATE sets SET revision = (SELECT value FROM revision) WHERE id = NEW.id;
END;
CREATE TRIGGER setRemoved AFTER DELETE ON sets BEGIN
  UPDATE revision SET value = value + 1;
END;
CREATE TRIGGER imageAdded AFTER INSERT ON images BEGIN
  UPDATE revision SET value = value + 1;
  UPDATE sets SET revision = (SELECT value FROM revision) WHERE id = NEW.setId;
END;
CREATE TRIGGER imageChanged AFTER UPDATE ON images BEGIN
  UPDATE revision SET value = value + 1;
  UPDATE sets SET revision = (SELECT value FROM revision) WHERE id = NEW.setId;
END;
CREATE TRIGGER phoneRenamed AFTER UPDATE OF nickname, maker, model ON phones
WHEN OLD.nickname IS NOT NEW.nickname OR OLD.maker IS NOT NEW.maker OR OLD.model IS NOT NEW.model BEGIN
  UPDATE revision SET value = value + 1;
  UPDATE sets SET revision = (SELECT value FROM revision) WHERE serial = NEW.serial;
END;
