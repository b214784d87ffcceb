-- How the phone proved an image: `sha256` or `md5` by its own tools, or `second reading`. Not known of images from before, and of
-- those that came as files.
ALTER TABLE images ADD COLUMN proof TEXT;
