-- Other makers' code that apps carry along, by what the names of its classes begin with.
CREATE TABLE trackers (
  name     TEXT PRIMARY KEY,
  position INTEGER NOT NULL,
  purpose  TEXT NOT NULL,
  -- JSON, a list of texts
  prefixes TEXT NOT NULL CHECK (json_valid(prefixes))
) STRICT;

-- To begin with: as invented as the apps of the demo.
INSERT INTO trackers (name, position, purpose, prefixes) VALUES
  ('Gullcount', 0, 'counts who uses the app, when, and how they came to it', '["example.gullcount"]'),
  ('Shorelight', 1, 'shows adverts, and draws up a profile of who taps on which', '["example.shorelight.ads"]'),
  ('Spindrift', 2, 'collects places and passes them on', '["example.spindrift.place", "example.spindrift.track"]'),
  ('Wrackline', 3, 'reports crashes to the app’s maker', '["example.wrackline.crash"]');
