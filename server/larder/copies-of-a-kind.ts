import { randomUUID } from 'node:crypto';
import type { PartKind } from '@keen-larder/core/apps/copies.ts';
import type { NamedPhone } from '@keen-larder/core/phone/facts.ts';
import type { CopyPartHead, CopyPartRow, CopyStatements, CopyWithPhone } from '../database/copies.ts';
import type { PhoneStatements } from '../database/phones.ts';
import type { Feed } from '../events/feed.ts';
import { copyVersion, type CopyManifest, type ManifestPart } from '../shelf/copy-manifest.ts';
import type { ImageRecipe } from '../shelf/image-reader.ts';
import type { StoredImage } from '../shelf/image-writer.ts';
import type { LarderTime } from './larder-time.ts';
import { ManifestLedger } from './manifest-ledger.ts';
import { binnedOf, binOf } from './set-rows.ts';
import type { ManifestFolder } from '../shelf/manifest-folder.ts';
import { packChunkList, unpackChunkList } from '../shelf/manifest.ts';
import type { Shelf, ShelfFinding } from '../shelf/shelf.ts';
import { Problem } from '../failures.ts';

/** A copy whose bytes are on the shelf. */
export interface NewCopy<Facts, Kind extends string> {
  readonly phone: NamedPhone;
  readonly createdAt: number;
  readonly addedBytes: number;
  readonly origin?: 'image' | 'imported';
  /** The operator who kept it. */
  readonly by?: string | undefined;
  readonly facts: Facts;
  readonly parts: readonly NewPart<Kind>[];
}

export interface NewPart<Kind extends string = PartKind> {
  readonly name: string;
  readonly kind: Kind;
  readonly stored: StoredImage;
}

/** A part of a copy, to be read from the shelf. */
export interface StoredPart<Kind extends string> extends ImageRecipe {
  readonly kind: Kind;
  readonly sha256: Buffer;
}

/** What copies of every kind are made of. */
export interface CopiesParts {
  readonly shelf: Shelf;
  readonly statements: CopyStatements;
  readonly phones: Pick<PhoneStatements, 'one' | 'seen'>;
  readonly feed: Feed;
  /** The computer's clock. */
  readonly now: () => number;
  readonly time: Pick<LarderTime, 'nowMs'>;
}

/** What tells one kind of copies from another. */
interface Sort<Facts, Kind extends string, View> {
  readonly kind: 'app' | 'records';
  readonly format: string;
  readonly manifests: ManifestFolder<CopyManifest<Facts, Kind>>;
  readonly subjectOf: (facts: Facts) => string;
  readonly labelOf: (facts: Facts) => string;
  readonly viewOf: (row: CopyWithPhone, facts: Facts, parts: readonly CopyPartHead[]) => View;
}

/** Copies of one kind that are kept: in the catalogue, their bytes on the shelf. */
export class Copies<
  Facts,
  Kind extends string,
  View extends { readonly serial: string; readonly binnedAt: number | undefined },
> {
  /** Why a copy may not be removed now, in a sentence. */
  whyInUse: (id: string) => string | undefined = () => undefined;
  /** Told when something was kept, changed or removed. */
  onChange: () => void = () => undefined;
  private readonly ledger: ManifestLedger<CopyManifest<Facts, Kind>>;
  protected readonly statements: CopyStatements;

  constructor(
    private readonly sort: Sort<Facts, Kind, View>,
    protected readonly parts: CopiesParts,
  ) {
    const { statements } = parts;
    this.statements = statements;
    this.ledger = new ManifestLedger(parts.shelf, sort.manifests, {
      ids: () => statements.all(sort.kind).map(({ id }) => id),
      enter: (manifest) => this.enter(manifest),
      update: (manifest) => this.update(manifest),
      remove: (id) => statements.remove(id),
      changing: (id) => statements.changing(id),
      changingIds: () => statements.changingIds(sort.kind),
      rebuild: (id) => this.manifestOf(id),
      nameOf: ({ facts }) => `a copy of ${sort.labelOf(facts)}`,
      essenceOf: ({ note, createdAt, facts, parts }) => ({ note, createdAt, facts, parts }),
    });
  }

  /** Brings catalogue and manifests together; see `ManifestLedger`. */
  reconcile(): Promise<ShelfFinding[]> {
    return this.ledger.reconcile();
  }

  /** Holds every manifest against the catalogue; see `ManifestLedger.rebuild`. */
  rebuild(isOlder: boolean, now: number): Promise<ShelfFinding[]> {
    return this.ledger.rebuild(isOlder, now);
  }

  /** All copies, with the chunks that they need. */
  *chunkListsByName(): Generator<{ readonly name: string; readonly chunks: Buffer }> {
    for (const { id, facts, nickname } of this.statements.all(this.sort.kind)) {
      const name = `The copy of ${this.sort.labelOf(JSON.parse(facts) as Facts)} of ${nickname}`;
      for (const part of this.statements.headsOf(id)) yield { name, chunks: this.part(id, part.name).chunks };
    }
  }

  /** The newest first. */
  list(): View[] {
    const parts = new Map<string, CopyPartHead[]>();
    for (const part of this.statements.heads()) {
      const list = parts.get(part.copyId);
      if (list) list.push(part);
      else parts.set(part.copyId, [part]);
    }
    return this.statements.all(this.sort.kind).map((row) => this.viewOf(row, parts.get(row.id) ?? []));
  }

  /** Of one phone, those in the bin left out; the newest first. */
  of(serial: string): View[] {
    return this.list().filter((copy) => copy.serial === serial && copy.binnedAt === undefined);
  }

  /** @throws Problem 404 */
  one(id: string): View {
    return this.viewOf(this.row(id), this.statements.headsOf(id));
  }

  /** What is needed to read a part back. @throws Problem 404 */
  part(id: string, name: string): StoredPart<Kind> {
    const row = this.statements.part(id, name);
    if (!row) throw new Problem(404, `This copy has no ${name}.`);
    return {
      partition: name,
      kind: row.kind as Kind,
      bytes: row.bytes,
      chunkBytes: row.chunkBytes,
      chunks: row.chunks,
      sha256: row.sha256,
    };
  }

  /** Makes a copy known whose chunks are durable: its manifest first, so that the shelf alone can tell of it. */
  async add(copy: NewCopy<Facts, Kind>): Promise<string> {
    const { phone, createdAt, addedBytes, origin, by, facts, parts } = copy;
    const manifest: CopyManifest<Facts, Kind> = {
      format: this.sort.format,
      version: copyVersion,
      id: randomUUID(),
      phone,
      note: '',
      createdAt: new Date(createdAt).toISOString(),
      addedBytes,
      ...(origin && { origin }),
      ...(by !== undefined && { by }),
      facts,
      parts: parts.map(({ name, kind, stored }) => ({
        name,
        kind,
        bytes: stored.bytes,
        chunkBytes: stored.chunkBytes,
        sha256: stored.sha256.toString('hex'),
        chunks: unpackChunkList(stored.chunks),
      })),
    };
    await this.ledger.add(manifest);
    return manifest.id;
  }

  /** Notes, bins or takes out of the bin. @throws Problem */
  async change(id: string, change: { note?: string; binned?: boolean }): Promise<View> {
    this.row(id);
    await this.ledger.change(id, ({ binnedAt, ...manifest }) => {
      const inUse = change.binned && this.whyInUse(id);
      if (inUse) throw new Problem(409, inUse);
      const since = binnedAt ?? new Date(this.parts.now()).toISOString();
      const isBinned = change.binned ?? binnedAt !== undefined;
      return {
        ...manifest,
        note: change.note ?? manifest.note,
        ...(isBinned && { binnedAt: since }),
      };
    });
    this.changed();
    return this.one(id);
  }

  /** Removes copies for good, the bin left out. @throws Problem 409 where one is in use */
  async remove(ids: readonly string[]): Promise<void> {
    for (const id of ids)
      if (!(await this.ledger.remove(id, () => !this.whyInUse(id))))
        throw new Problem(409, this.whyInUse(id) ?? 'A copy cannot be removed now.');
    this.changed();
  }

  /** Removes the copies that have been in the bin since before, in the larder's own time; their chunks are the collector's. */
  async removeBinned(beforeMs: number): Promise<number> {
    let removed = 0;
    for (const id of this.statements.binnedBefore(this.sort.kind, beforeMs)) {
      const mayGo = () => this.row(id).binnedAt !== null && !this.whyInUse(id);
      if (await this.ledger.remove(id, mayGo)) removed++;
    }
    if (removed > 0) this.changed();
    return removed;
  }

  /** Parts that were damaged, and are whole again by what was stored anew, are damaged no more. */
  mend(isMended: (chunks: Buffer) => boolean): void {
    for (const { copyId, name, chunks } of this.statements.damagedParts())
      if (isMended(chunks)) this.statements.damaged(copyId, name, null);
  }

  /** What is wrong with the manifest's file; undefined where it says what the catalogue does. */
  manifestFault(id: string): Promise<string | undefined> {
    return this.ledger.fault(id);
  }

  /** Of all copies, whatever their kind. */
  chunkLists(): Iterable<{ readonly chunks: Buffer }> {
    return this.statements.chunkLists();
  }

  /** @param words what is wrong with a part; undefined when it is well */
  found(id: string, name: string, words: string | undefined): void {
    this.statements.damaged(id, name, words ?? null);
  }

  changed(): void {
    this.onChange();
    this.parts.feed.send('copies', {});
  }

  private enter(manifest: CopyManifest<Facts, Kind>): CopyManifest<Facts, Kind> {
    const { phone } = manifest;
    const { phones, time } = this.parts;
    const createdAt = Date.parse(manifest.createdAt);
    if (!phones.one(phone.serial)) phones.seen({ ...phone, lastSeenAt: createdAt });
    this.statements.insert(
      {
        id: manifest.id,
        kind: this.sort.kind,
        serial: phone.serial,
        subject: this.sort.subjectOf(manifest.facts),
        note: manifest.note,
        createdAt,
        addedBytes: manifest.addedBytes,
        ...binOf(manifest.binnedAt, time.nowMs),
        origin: manifest.origin ?? 'phone',
        facts: JSON.stringify(manifest.facts),
        keptBy: manifest.by ?? null,
      },
      manifest.parts.map((part, position): CopyPartRow => ({
        copyId: manifest.id,
        position,
        name: part.name,
        kind: part.kind,
        bytes: part.bytes,
        chunkBytes: part.chunkBytes,
        sha256: Buffer.from(part.sha256, 'hex'),
        chunks: packChunkList(part.chunks),
        damage: null,
      })),
    );
    return manifest;
  }

  private update({ id, note, binnedAt }: CopyManifest<Facts, Kind>): void {
    const before = this.row(id);
    const isAsBefore = (binnedAt !== undefined) === (before.binnedAt !== null);
    const bin = isAsBefore ? before : binOf(binnedAt, this.parts.time.nowMs);
    this.statements.change({ id, note, binnedAt: bin.binnedAt, binnedMs: bin.binnedMs });
  }

  private manifestOf(id: string): CopyManifest<Facts, Kind> {
    const row = this.row(id);
    const { serial, maker, model, nickname } = this.parts.phones.one(row.serial)!;
    return {
      format: this.sort.format,
      version: copyVersion,
      id: row.id,
      phone: { serial, maker, model, nickname },
      note: row.note,
      createdAt: new Date(row.createdAt).toISOString(),
      addedBytes: row.addedBytes,
      ...(row.origin !== 'phone' && { origin: row.origin as 'image' | 'imported' }),
      ...binnedOf(row.binnedAt),
      ...(row.keptBy !== null && { by: row.keptBy }),
      facts: JSON.parse(row.facts) as Facts,
      parts: this.statements.headsOf(row.id).map((head): ManifestPart<Kind> => ({
        name: head.name,
        kind: head.kind as Kind,
        bytes: head.bytes,
        chunkBytes: head.chunkBytes,
        sha256: head.sha256.toString('hex'),
        chunks: unpackChunkList(this.part(row.id, head.name).chunks),
      })),
    };
  }

  private row(id: string): CopyWithPhone {
    const row = this.statements.one(this.sort.kind, id);
    if (!row) throw new Problem(404, 'There is no such copy. It may have been deleted.');
    return row;
  }

  private viewOf(row: CopyWithPhone, parts: readonly CopyPartHead[]): View {
    return this.sort.viewOf(row, JSON.parse(row.facts) as Facts, parts);
  }
}
