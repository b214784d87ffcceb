-- A program that a phone digests is looked for among all that are kept, and a name within copies by the part that has it.
CREATE INDEX copyPartsByDigest ON copyParts (sha256);
