-- Digests of fine pieces as well, as far as there was time for them: what a phone has otherwise is found without reading the shelf.
ALTER TABLE pieces ADD COLUMN fine BLOB;
