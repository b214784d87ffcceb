-- What apps that come with systems are for, by patterns of their packages.
CREATE TABLE purposes (
  pattern    TEXT PRIMARY KEY,
  position   INTEGER NOT NULL,
  kind       TEXT NOT NULL,
  purpose    TEXT NOT NULL,
  dependents TEXT NOT NULL,
  certainty  TEXT NOT NULL CHECK (certainty IN ('known', 'likely', 'guessed'))
) STRICT;

-- To begin with: parts of the platform by its own sources (AOSP, from memory), and the apps of the demo, as invented as these are.
INSERT INTO purposes (pattern, position, kind, purpose, dependents, certainty) VALUES
  ('com.android.egg', 0, 'Pastimes', 'A game behind the version number in the settings.', '', 'known'),
  ('com.android.dreams.*', 1, 'Pastimes', 'What the screen shows while the phone charges.', '', 'known'),
  ('com.android.wallpaper.*', 2, 'Pastimes', 'Moving pictures behind the home screen.', 'A moving picture that is chosen now goes black.', 'likely'),
  ('com.android.bips', 3, 'Printing', 'Finds printers of several makers.', 'Apps that print find no printer any more.', 'known'),
  ('com.android.printspooler', 4, 'Printing', 'Takes what apps print, and passes it on.', 'No app can print, nor save as PDF by printing.', 'known'),
  ('com.android.cellbroadcastreceiver*', 5, 'Warnings', 'Shows warnings of authorities.', 'Emergency warnings are not shown any more.', 'known'),
  ('com.android.traceur', 6, 'For makers', 'Records what the system does, to look for faults.', '', 'known'),
  ('com.android.managedprovisioning', 7, 'Work', 'Sets up work profiles.', 'No work profile can be made.', 'known'),
  ('com.android.stk', 8, 'Network', 'Menus of the SIM card.', 'Services that some networks offer by menu.', 'known'),
  ('example.ferrytimes', 9, 'Put there by the seller', 'Timetables of one ferry line, with its notices.', '', 'known'),
  ('example.hidebooker', 10, 'Put there by the seller', 'Books places in bird hides, for a fee.', '', 'likely'),
  ('example.pocketalmanac', 11, 'Extras of the maker', 'Sunrise, tides and the moon.', 'The date on the home screen opens nothing any more.', 'likely'),
  ('example.tide.home', 12, 'The phone itself', 'The home screen.', 'Without another home screen nothing can be opened.', 'known'),
  ('example.tide.settings', 13, 'The phone itself', 'The settings.', 'Nothing could be set any more.', 'known');
