import { rmSync } from 'node:fs';
import Sqlite from 'better-sqlite3';
import { gramsOf } from '@keen-larder/core/larder/finding.ts';

/** Another one is made anew; nothing is in it that the shelf does not have. */
const version = 1;

/**
 * Names of the files within images, by the SHA-256 of all of the image, so that images that are the same are read once. `namesIndex` has
 * the runs of three letters of each name.
 */
const schema = `
CREATE TABLE trees (
  id     INTEGER PRIMARY KEY,
  sha256 BLOB NOT NULL CHECK (length(sha256) = 32),
  -- of a logical partition within; empty for the image itself
  part   TEXT NOT NULL,
  -- 1 where it is user data
  isOwn  INTEGER NOT NULL CHECK (isOwn IN (0, 1)),
  -- the last path that is written down
  after  TEXT NOT NULL DEFAULT '',
  files  INTEGER NOT NULL DEFAULT 0,
  state  TEXT NOT NULL DEFAULT 'names' CHECK (state IN ('names', 'digests', 'whole')),
  -- why not all of it could be read
  fault  TEXT,
  UNIQUE (sha256, part)
) STRICT;

-- Images that were looked into, also those without any tree.
CREATE TABLE images (sha256 BLOB NOT NULL PRIMARY KEY, fault TEXT) STRICT, WITHOUT ROWID;

CREATE TABLE folders (id INTEGER PRIMARY KEY, path TEXT NOT NULL UNIQUE) STRICT;
CREATE TABLE names (id INTEGER PRIMARY KEY, name TEXT NOT NULL UNIQUE) STRICT;
CREATE INDEX namesFolded ON names (name COLLATE NOCASE);
CREATE VIRTUAL TABLE namesIndex USING fts5 (
  name, content = 'names', content_rowid = 'id', tokenize = 'trigram', detail = 'none', columnsize = 0
);

CREATE TABLE files (
  nameId   INTEGER NOT NULL REFERENCES names (id),
  treeId   INTEGER NOT NULL REFERENCES trees (id) ON DELETE CASCADE,
  folderId INTEGER NOT NULL REFERENCES folders (id),
  kind     TEXT NOT NULL,
  bytes    INTEGER NOT NULL,
  sha256   BLOB,
  PRIMARY KEY (nameId, treeId, folderId)
) STRICT, WITHOUT ROWID;
CREATE INDEX filesByTree ON files (treeId);
CREATE INDEX filesBySha256 ON files (sha256) WHERE sha256 IS NOT NULL;
`;

/** A file system within an image, as far as its names are written down. */
export interface NamedTree {
  readonly id: number;
  readonly sha256: Buffer;
  readonly part: string;
  readonly after: string;
  readonly files: number;
  readonly state: 'names' | 'digests' | 'whole';
  readonly fault: string | null;
}

export interface NamedFile {
  readonly folder: string;
  readonly name: string;
  readonly kind: string;
  readonly bytes: number;
}

/** A file as it was found, and in which tree. */
export interface FoundFile extends NamedFile {
  readonly treeSha256: Buffer;
  readonly part: string;
  readonly sha256: Buffer | null;
}

export interface NamesTotals {
  readonly files: number;
  readonly trees: number;
  readonly unread: number;
  readonly faults: number;
}

function openNames(path: string, readonly: boolean): Sqlite.Database {
  try {
    const db = new Sqlite(path, { readonly });
    const found = db.pragma('user_version', { simple: true });
    if (found === version) return db;
    db.close();
  } catch {
    // Damaged: what is in it is read from the shelf again.
  }
  if (readonly) return made(':memory:');
  for (const each of ['', '-wal', '-shm']) rmSync(path + each, { force: true });
  return made(path);
}

function made(path: string): Sqlite.Database {
  const db = new Sqlite(path);
  db.exec(schema);
  db.pragma(`user_version = ${version}`);
  return db;
}

const fileColumns = `
  folders.path AS folder, names.name, files.kind, files.bytes, files.sha256, trees.sha256 AS treeSha256, trees.part
  FROM files JOIN names ON names.id = files.nameId JOIN folders ON folders.id = files.folderId
  JOIN trees ON trees.id = files.treeId`;

/**
 * @param path of the index's own file: it can be made anew from the shelf, and is in no copy of the catalogue
 * @param readonly beside the program that works with it; an index that cannot be read is empty
 */
export function nameStatements(path: string, readonly = false) {
  const db = openNames(path, readonly);
  if (!readonly) db.pragma('journal_mode = WAL');
  // What a power cut takes is read again.
  db.pragma('synchronous = NORMAL');
  db.pragma('foreign_keys = ON');
  // Nothing that went is left in free pages.
  db.pragma('secure_delete = ON');
  const addTree = db.prepare<[sha256: Buffer, part: string, isOwn: number]>(
    'INSERT INTO trees (sha256, part, isOwn) VALUES (?, ?, ?) ON CONFLICT DO NOTHING',
  );
  const looked = db.prepare<[sha256: Buffer, fault: string | null]>(
    'INSERT INTO images (sha256, fault) VALUES (?, ?) ON CONFLICT (sha256) DO UPDATE SET fault = excluded.fault',
  );
  const image = db.prepare<[sha256: Buffer], { fault: string | null }>(
    'SELECT fault FROM images WHERE sha256 = ?',
  );
  const images = db.prepare<[], { sha256: Buffer }>('SELECT sha256 FROM images');
  const open = db.prepare<[], NamedTree>(
    `SELECT id, sha256, part, after, files, state, fault FROM trees WHERE state <> 'whole' ORDER BY state = 'digests', id`,
  );
  const addFolder = db.prepare<[path: string]>(
    'INSERT INTO folders (path) VALUES (?) ON CONFLICT DO NOTHING',
  );
  const folderId = db.prepare<[path: string], { id: number }>('SELECT id FROM folders WHERE path = ?');
  const addName = db.prepare<[name: string]>('INSERT INTO names (name) VALUES (?) ON CONFLICT DO NOTHING');
  const nameId = db.prepare<[name: string], { id: number }>('SELECT id FROM names WHERE name = ?');
  const indexName = db.prepare<[id: number | bigint, name: string]>(
    'INSERT INTO namesIndex (rowid, name) VALUES (?, ?)',
  );
  const addFile = db.prepare<[number, number, number, string, number]>(
    'INSERT INTO files (nameId, treeId, folderId, kind, bytes) VALUES (?, ?, ?, ?, ?) ON CONFLICT DO NOTHING',
  );
  const digested = db.prepare<[sha256: Buffer, nameId: number, treeId: number, folderId: number]>(
    'UPDATE files SET sha256 = ? WHERE nameId = ? AND treeId = ? AND folderId = ?',
  );
  const advance = db.prepare<[after: string, files: number, id: number]>(
    'UPDATE trees SET after = ?, files = files + ? WHERE id = ?',
  );
  const enter = db.prepare<[state: string, fault: string | null, id: number]>(
    `UPDATE trees SET state = ?, after = '', fault = coalesce(?, fault) WHERE id = ?`,
  );
  const idOfFolder = (path: string) => (addFolder.run(path), folderId.get(path)!.id);
  const idOfName = (name: string) => {
    const { changes, lastInsertRowid } = addName.run(name);
    if (changes > 0) indexName.run(lastInsertRowid, name);
    return nameId.get(name)!.id;
  };
  const addFiles = db.transaction((tree: number, files: readonly NamedFile[], after: string) => {
    for (const { folder, name, kind, bytes } of files)
      addFile.run(idOfName(name), tree, idOfFolder(folder), kind, bytes);
    advance.run(after, files.length, tree);
  });
  const addDigests = db.transaction(
    (
      tree: number,
      files: readonly { readonly folder: string; readonly name: string; readonly sha256: Buffer }[],
      after: string,
    ) => {
      for (const { folder, name, sha256 } of files) {
        const [ofName, ofFolder] = [nameId.get(name), folderId.get(folder)];
        if (ofName && ofFolder) digested.run(sha256, ofName.id, tree, ofFolder.id);
      }
      advance.run(after, 0, tree);
    },
  );
  const forgetTrees = db.prepare<[sha256: Buffer]>('DELETE FROM trees WHERE sha256 = ?');
  const forgetImage = db.prepare<[sha256: Buffer]>('DELETE FROM images WHERE sha256 = ?');
  const ownTrees = db.prepare<[], { sha256: Buffer }>('SELECT sha256 FROM trees WHERE isOwn = 1');
  const unused = db.prepare<[], { id: number; name: string }>(
    'SELECT id, name FROM names WHERE NOT EXISTS (SELECT 1 FROM files WHERE files.nameId = names.id)',
  );
  const unindex = db.prepare<[id: number, name: string]>(
    `INSERT INTO namesIndex (namesIndex, rowid, name) VALUES ('delete', ?, ?)`,
  );
  const dropName = db.prepare<[id: number]>('DELETE FROM names WHERE id = ?');
  const dropFolders = db.prepare(
    'DELETE FROM folders WHERE NOT EXISTS (SELECT 1 FROM files WHERE files.folderId = folders.id)',
  );
  const forget = db.transaction((digests: readonly Buffer[]) => {
    for (const digest of digests) {
      forgetTrees.run(digest);
      forgetImage.run(digest);
    }
    for (const { id, name } of unused.all()) {
      unindex.run(id, name);
      dropName.run(id);
    }
    dropFolders.run();
  });
  const begins = db.prepare<[from: string, to: string, most: number], { id: number; name: string }>(
    'SELECT id, name FROM names WHERE name COLLATE NOCASE >= ? AND name COLLATE NOCASE < ? LIMIT ?',
  );
  const holds = db.prepare<[match: string, most: number], { id: number; name: string }>(
    'SELECT names.id, names.name FROM namesIndex JOIN names ON names.id = namesIndex.rowid WHERE namesIndex MATCH ? LIMIT ?',
  );
  const filesOf = db.prepare<[nameId: number, most: number], FoundFile>(
    `SELECT ${fileColumns} WHERE files.nameId = ? LIMIT ?`,
  );
  const byDigest = db.prepare<[from: Buffer, to: Buffer, most: number], FoundFile>(
    `SELECT ${fileColumns} WHERE files.sha256 >= ? AND files.sha256 <= ? LIMIT ?`,
  );
  const totals = db.prepare<[], NamesTotals>(`
    SELECT coalesce(sum(files), 0) AS files, count(*) AS trees, coalesce(sum(state <> 'whole'), 0) AS unread,
      coalesce(sum(fault IS NOT NULL), 0) + (SELECT count(*) FROM images WHERE fault IS NOT NULL) AS faults
    FROM trees`);
  const pages = () =>
    Number(db.pragma('page_count', { simple: true })) * Number(db.pragma('page_size', { simple: true }));
  return {
    isLookedInto: (sha256: Buffer) => image.get(sha256) !== undefined,
    lookedInto: () => images.all().map(({ sha256 }) => sha256),
    /** Its trees, or why there is none to read. */
    add: db.transaction((sha256: Buffer, parts: readonly string[], isOwn: boolean, fault?: string) => {
      for (const part of parts) addTree.run(sha256, part, isOwn ? 1 : 0);
      looked.run(sha256, fault ?? null);
    }),
    /** The tree that is to be read next; names come before digests. */
    /** Trees that are not read to the end, those first of which names are wanted. */
    open: () => open.iterate(),
    addFiles: (tree: number, files: readonly NamedFile[], after: string) => addFiles(tree, files, after),
    addDigests: (...all: Parameters<typeof addDigests>) => addDigests(...all),
    enter: (id: number, state: NamedTree['state'], fault?: string) =>
      void enter.run(state, fault ?? null, id),
    /** Everything of images that are kept no more. */
    forget: (digests: readonly Buffer[]) => forget(digests),
    own: () => ownTrees.all().map(({ sha256 }) => sha256),
    /** Names that begin so, whichever case. */
    begins: (word: string, most: number) => begins.all(word, `${word}\u{10ffff}`, most),
    /** Names that have all runs of three letters of a word, and perhaps not the word. */
    holds: (word: string, most: number) => {
      const grams = gramsOf(word);
      if (grams.length === 0) return [];
      return holds.all(grams.map((each) => `"${each.replaceAll('"', '""')}"`).join(' AND '), most);
    },
    filesOf: (name: number, most: number) => filesOf.all(name, most),
    /** Files whose checksum begins so. @param prefix lower-case hexadecimal */
    byDigest: (prefix: string, most: number) =>
      byDigest.all(
        Buffer.from(prefix.padEnd(64, '0'), 'hex'),
        Buffer.from(prefix.padEnd(64, 'f'), 'hex'),
        most,
      ),
    totals: () => totals.get()!,
    /** Of the index on the disk. */
    bytes: pages,
    /** Gives back what was freed, so that nothing of it is left in the file. */
    shrink(): void {
      db.exec(`INSERT INTO namesIndex (namesIndex) VALUES ('optimize'); VACUUM`);
      db.pragma('wal_checkpoint(TRUNCATE)');
    },
    close: () => void db.close(),
  };
}

export type NameStatements = ReturnType<typeof nameStatements>;
