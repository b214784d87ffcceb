-- Phones whose apps are copied by themselves, once a day, as far as they changed.
CREATE TABLE copyRoutines (
  serial TEXT PRIMARY KEY REFERENCES phones (serial),
  -- when it was last gone through
  at     INTEGER,
  -- what came of it, or why it was put off
  said   TEXT
) STRICT;
