import type { Database } from './open.ts';
import { packPieces, unpackPieces, type KnownPieces } from '../shelf/piece-digests.ts';

export interface SetRow {
  readonly id: string;
  readonly label: string;
  readonly note: string;
  readonly serial: string;
  /** Empty where it is not known. */
  readonly mode: string;
  /** JSON of `Condition`. */
  readonly condition: string;
  readonly createdAt: number;
  readonly elapsedMs: number;
  readonly addedBytes: number;
  readonly verifiedAt: number | null;
  readonly binnedAt: number | null;
  /** In the bin since, in the larder's own time. */
  readonly binnedMs: number | null;
  readonly origin: string;
  /** 1 where it is pinned. */
  readonly pinned: number;
  /** The operator who kept it. */
  readonly keptBy: string | null;
}

export interface SetWithPhone extends SetRow {
  /** Grows with every change of what is told of it. */
  readonly revision: number;
  readonly nickname: string;
  readonly maker: string;
  readonly model: string;
  /** 1 where it is firmware, which is of a model. */
  readonly isModel: number;
}

export interface ImageRow {
  readonly setId: string;
  readonly position: number;
  readonly partition: string;
  readonly role: string;
  readonly bytes: number;
  readonly chunkBytes: number;
  readonly sha256: Buffer;
  readonly chunks: Buffer;
  readonly fileSystem: string | null;
  readonly usedBytes: number | null;
  readonly damage: string | null;
  /** `block` or `archive` */
  readonly kind: string;
  /** JSON of ranges; null when everything was read. */
  readonly ranges: string | null;
  /** JSON of ranges; null when everything came out right. */
  readonly unsettled: string | null;
  /** How the phone proved it; null where that is not known. */
  readonly proof: string | null;
}

/** Images without their chunk lists, which are long. */
export type ImageHead = Omit<ImageRow, 'chunks'>;

export type SetChangeRow = Pick<SetRow, 'id' | 'label' | 'note' | 'binnedAt' | 'binnedMs' | 'pinned'>;

interface PiecesRow {
  readonly sha256: Buffer;
  readonly algorithm: KnownPieces['by'];
  readonly digests: Buffer;
  readonly fine: Buffer | null;
}

export interface KeptRow {
  readonly partition: string;
  readonly setId: string;
  readonly label: string;
  readonly createdAt: number;
  readonly bytes: number;
  readonly sha256: Buffer;
  readonly ranges: string | null;
}

/** An image whose names of files may be written down. */
export interface KeptImageHead {
  readonly setId: string;
  readonly partition: string;
  readonly sha256: Buffer;
  /** 1 where it is user data. */
  readonly isOwn: number;
}

/** A set that has an image, and what it is called. */
export interface HoldingSet {
  readonly setId: string;
  readonly label: string;
  readonly nickname: string;
  readonly createdAt: number;
  readonly partition: string;
  readonly bytes: number;
  readonly sha256: Buffer;
}

const head =
  'setId, position, partition, role, bytes, chunkBytes, sha256, fileSystem, usedBytes, damage, kind, ranges, unsettled, proof';

export function setStatements(db: Database) {
  const insertSet = db.prepare<SetRow>(`
    INSERT INTO sets (id, label, note, serial, mode, condition, createdAt, elapsedMs, addedBytes, verifiedAt, binnedAt, binnedMs, origin, pinned, keptBy)
    VALUES (@id, @label, @note, @serial, @mode, @condition, @createdAt, @elapsedMs, @addedBytes, @verifiedAt, @binnedAt, @binnedMs, @origin, @pinned, @keptBy)`);
  const insertImage = db.prepare<ImageRow>(`
    INSERT INTO images (setId, position, partition, role, bytes, chunkBytes, sha256, chunks, fileSystem, usedBytes, damage, kind, ranges, unsettled, proof)
    VALUES (@setId, @position, @partition, @role, @bytes, @chunkBytes, @sha256, @chunks, @fileSystem, @usedBytes, @damage, @kind, @ranges, @unsettled, @proof)`);
  const withPhone = `
    SELECT sets.*, phones.nickname, phones.maker, phones.model, phones.isModel
    FROM sets JOIN phones ON phones.serial = sets.serial`;
  const all = db.prepare<[], SetWithPhone>(`${withPhone} ORDER BY sets.createdAt DESC, sets.id`);
  const changedSince = db.prepare<[revision: number], SetWithPhone>(`${withPhone} WHERE sets.revision > ?`);
  const allIds = db.prepare<[], string>('SELECT id FROM sets').pluck();
  const revision = db.prepare<[], number>('SELECT value FROM revision').pluck();
  const one = db.prepare<[id: string], SetWithPhone>(`${withPhone} WHERE sets.id = ?`);
  const labels = db.prepare<[serial: string], { label: string }>('SELECT label FROM sets WHERE serial = ?');
  const heads = db.prepare<[setId: string], ImageHead>(
    `SELECT ${head} FROM images WHERE setId = ? ORDER BY position`,
  );
  const allHeads = db.prepare<[], ImageHead>(`SELECT ${head} FROM images ORDER BY setId, position`);
  const image = db.prepare<[setId: string, partition: string], ImageRow>(
    'SELECT * FROM images WHERE setId = ? AND partition = ?',
  );
  const chunkLists = db.prepare<[], { chunks: Buffer }>('SELECT chunks FROM images');
  const kept = db.prepare<[serial: string], KeptRow>(`
    SELECT images.partition, sets.id AS setId, sets.label, sets.createdAt, images.bytes, images.sha256, images.ranges
    FROM images JOIN sets ON sets.id = images.setId
    WHERE sets.serial = ? AND sets.binnedAt IS NULL AND images.damage IS NULL AND images.unsettled IS NULL
    ORDER BY sets.createdAt`);
  const origins = db.prepare<[sha256: Buffer], { serial: string }>(`
    SELECT DISTINCT sets.serial FROM images JOIN sets ON sets.id = images.setId
    WHERE images.sha256 = ? AND sets.origin = 'phone' ORDER BY sets.serial`);
  const namedImages = db.prepare<[], KeptImageHead>(`
    SELECT setId, partition, sha256, role = 'user-data' AS isOwn FROM images GROUP BY sha256`);
  const wholeImages = db.prepare<
    [moreThan: number],
    Pick<ImageRow, 'setId' | 'partition' | 'sha256' | 'bytes'>
  >(`
    SELECT setId, partition, sha256, bytes FROM (
      SELECT images.*, max(sets.createdAt) FROM images JOIN sets ON sets.id = images.setId
      WHERE ranges IS NULL AND kind = 'block' AND damage IS NULL AND unsettled IS NULL AND sets.binnedAt IS NULL AND bytes > ?
      GROUP BY sets.serial, images.partition)`);
  const holding = `
    SELECT sets.id AS setId, sets.label, phones.nickname, sets.createdAt, images.partition, images.bytes, images.sha256
    FROM images JOIN sets ON sets.id = images.setId JOIN phones ON phones.serial = sets.serial`;
  const holders = db.prepare<[sha256: Buffer, most: number], HoldingSet>(
    `${holding} WHERE images.sha256 = ? AND sets.binnedAt IS NULL ORDER BY sets.createdAt DESC LIMIT ?`,
  );
  const holdersBetween = db.prepare<[from: Buffer, to: Buffer, most: number], HoldingSet>(
    `${holding} WHERE images.sha256 BETWEEN ? AND ? AND sets.binnedAt IS NULL ORDER BY images.sha256, sets.createdAt DESC LIMIT ?`,
  );
  const ids = db.prepare<[], { id: string }>(
    'SELECT id FROM sets WHERE binnedAt IS NULL ORDER BY createdAt DESC',
  );
  const changes = db.prepare<[], { own: number }>('SELECT total_changes() AS own');
  const searched = db.prepare<[like: string], SetWithPhone>(`
    ${withPhone}
    WHERE sets.binnedAt IS NULL AND (sets.label || ' ' || sets.note || ' ' || sets.serial || ' ' || phones.nickname || ' '
      || phones.maker || ' ' || phones.model || ' ' || sets.condition) LIKE ? ESCAPE '\\'
    ORDER BY sets.createdAt DESC`);
  const change = db.prepare<SetChangeRow>(`
    UPDATE sets SET label = @label, note = @note, binnedAt = @binnedAt, binnedMs = @binnedMs, pinned = @pinned, changing = 0
    WHERE id = @id`);
  const changing = db.prepare<[id: string]>('UPDATE sets SET changing = 1 WHERE id = ?');
  const changingIds = db.prepare<[], { id: string }>('SELECT id FROM sets WHERE changing = 1');
  const remove = db.prepare<[id: string]>('DELETE FROM sets WHERE id = ?');
  const binned = db.prepare<[beforeMs: number], { id: string }>(
    'SELECT id FROM sets WHERE binnedMs IS NOT NULL AND binnedMs <= ?',
  );
  const damagedImages = db.prepare<[], Pick<ImageRow, 'setId' | 'partition' | 'chunks'>>(
    'SELECT setId, partition, chunks FROM images WHERE damage IS NOT NULL',
  );
  const unverified = db.prepare<[id: string]>('UPDATE sets SET verifiedAt = NULL WHERE id = ?');
  const verified = db.prepare<[at: number, id: string]>('UPDATE sets SET verifiedAt = ? WHERE id = ?');
  const damage = db.prepare<[damage: string | null, setId: string, partition: string]>(
    'UPDATE images SET damage = ? WHERE setId = ? AND partition = ?',
  );
  const imaged = db.prepare<[], { bytes: number; sets: number }>(`
    SELECT coalesce(sum(images.bytes), 0) AS bytes, count(DISTINCT sets.id) AS sets
    FROM images JOIN sets ON sets.id = images.setId WHERE sets.binnedAt IS NULL`);

  const savePieces = db.prepare<PiecesRow>(`
    INSERT INTO pieces (sha256, algorithm, digests, fine) VALUES (@sha256, @algorithm, @digests, @fine)
    ON CONFLICT (sha256) DO UPDATE SET algorithm = excluded.algorithm, digests = excluded.digests,
      fine = CASE WHEN algorithm = excluded.algorithm THEN coalesce(excluded.fine, fine) ELSE excluded.fine END`);
  const pieces = db.prepare<[sha256: Buffer], PiecesRow>('SELECT * FROM pieces WHERE sha256 = ?');

  const insert = db.transaction((set: SetRow, images: readonly ImageRow[]) => {
    insertSet.run(set);
    for (const each of images) insertImage.run(each);
  });
  const recordVerification = db.transaction(
    (id: string, at: number, found: readonly { partition: string; damage: string | null }[]) => {
      for (const each of found) damage.run(each.damage, id, each.partition);
      verified.run(at, id);
    },
  );
  const mended = db.transaction((id: string, partition: string) => {
    damage.run(null, id, partition);
    unverified.run(id);
  });
  return {
    insert: (set: SetRow, images: readonly ImageRow[]) => insert(set, images),
    all: () => all.all(),
    /** Of which something changed since a revision. */
    changedSince: (before: number) => changedSince.all(before),
    allIds: () => allIds.all(),
    /** Of the newest change of any set. */
    revision: () => revision.get()!,
    one: (id: string) => one.get(id),
    labels: (serial: string) => labels.all(serial).map(({ label }) => label),
    heads: (setId: string) => heads.all(setId),
    allHeads: () => allHeads.all(),
    image: (setId: string, partition: string) => image.get(setId, partition),
    /** Every chunk list of the catalogue, one image at a time. */
    chunkLists: () => chunkLists.iterate(),
    kept: (serial: string) => kept.all(serial),
    /** Serials of the phones from which an image with this digest was read. */
    origins: (sha256: Buffer) => origins.all(sha256).map(({ serial }) => serial),
    /** Another one as soon as anything in the catalogue may have changed. */
    version: () => `${changes.get()!.own} ${db.pragma('data_version', { simple: true }) as number}`,
    /** Sets outside the bin, the newest first. */
    ids: () => ids.all().map(({ id }) => id),
    /** Sets outside the bin with a word in one of their texts, and perhaps some others, the newest first; one by one. */
    searched: (word: string) =>
      searched.iterate(`%${word.replace(/[%_\\]/g, '\\$&').replace(/[^\x20-\x7e]/gu, '_')}%`),
    /** One place of every image that is kept, those in the bin included. */
    namedImages: () => namedImages.all(),
    /** The newest image of each partition of each phone, of those of all of it. @param moreThan bytes that they have */
    wholeImages: (moreThan: number) => wholeImages.all(moreThan),
    /** Sets outside the bin that have an image, the newest first. */
    holders: (sha256: Buffer, most: number) => holders.all(sha256, most),
    /** The same of images whose digests lie between two. */
    holdersBetween: (from: Buffer, to: Buffer, most: number) => holdersBetween.all(from, to, most),
    change: (row: SetChangeRow) => void change.run(row),
    /** Its manifest is being changed, and the catalogue is not yet. */
    changing: (id: string) => void changing.run(id),
    changingIds: () => changingIds.all().map(({ id }) => id),
    remove: (id: string) => void remove.run(id),
    /** @param ms of the larder's own time */
    binnedBefore: (ms: number) => binned.all(ms).map(({ id }) => id),
    damagedImages: () => damagedImages.all(),
    damaged: (id: string, partition: string, words: string) => void damage.run(words, id, partition),
    mended: (id: string, partition: string) => mended(id, partition),
    recordVerification: (
      id: string,
      at: number,
      found: readonly { partition: string; damage: string | null }[],
    ) => recordVerification(id, at, found),
    totals: () => imaged.get()!,
    savePieces(sha256: Buffer, { by, hex, fine }: KnownPieces): void {
      const row = { sha256, algorithm: by, digests: packPieces(by, hex) };
      savePieces.run({ ...row, fine: fine ? packPieces(by, fine) : null });
    },
    pieces(sha256: Buffer): KnownPieces | undefined {
      const row = pieces.get(sha256);
      if (!row) return undefined;
      const { algorithm: by, digests, fine } = row;
      return { by, hex: unpackPieces(by, digests), ...(fine && { fine: unpackPieces(by, fine) }) };
    },
  };
}

export type SetStatements = ReturnType<typeof setStatements>;
