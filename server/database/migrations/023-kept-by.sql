-- The operator who kept it, where one had signed in.
ALTER TABLE sets ADD COLUMN keptBy TEXT;
ALTER TABLE copies ADD COLUMN keptBy TEXT;
