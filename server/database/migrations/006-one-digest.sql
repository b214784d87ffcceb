-- MD5 is computed over the files of an export, where older tools ask for it.
ALTER TABLE images DROP COLUMN md5;
