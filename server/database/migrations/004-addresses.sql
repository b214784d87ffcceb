-- Addresses that are followed because somebody added them.
CREATE TABLE addresses (
  address TEXT PRIMARY KEY,
  addedAt INTEGER NOT NULL
) STRICT;
