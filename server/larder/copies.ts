import { randomUUID } from 'node:crypto';
import type { CopyView, RecordsView } from '@keen-larder/contract/copies.ts';
import type { CopiedApp, PartKind } from '@keen-larder/core/apps/copies.ts';
import type { NamedPhone } from '@keen-larder/core/phone/facts.ts';
import { recordKind, type CopiedRecords, type RecordsPartKind } from '@keen-larder/core/records/kinds.ts';
import type { CopyPartHead, CopyPartRow, CopyStatements, CopyWithPhone } from '../database/copies.ts';
import type { PhoneStatements } from '../database/phones.ts';
import type { Feed } from '../events/feed.ts';
import {
  appCopyFormat,
  copyVersion,
  recordsCopyFormat,
  type CopyManifest,
  type ManifestPart,
} from '../shelf/copy-manifest.ts';
import type { ImageRecipe } from '../shelf/image-reader.ts';
import type { StoredImage } from '../shelf/image-writer.ts';
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
class Copies<
  Facts,
  Kind extends string,
  View extends { readonly serial: string; readonly binnedAt: number | undefined },
> {
  constructor(
    private readonly sort: Sort<Facts, Kind, View>,
    protected readonly statements: CopyStatements,
    private readonly phones: Pick<PhoneStatements, 'one' | 'seen'>,
    private readonly feed: Feed,
    protected readonly now: () => number,
  ) {}

  /** Enters copies that only the shelf knows. */
  async reconcile(): Promise<ShelfFinding[]> {
    const findings: ShelfFinding[] = [];
    const known = new Set(this.statements.all(this.sort.kind).map(({ id }) => id));
    for (const id of await this.sort.manifests.ids()) {
      if (known.has(id)) continue;
      try {
        const manifest = await this.sort.manifests.read(id);
        this.adopt(manifest);
        findings.push({
          level: 'info',
          text: `Entered a copy of ${this.sort.labelOf(manifest.facts)} from its manifest.`,
        });
      } catch (error) {
        const why = (error as Error).message;
        findings.push({ level: 'warning', text: `The manifest ${id} of a copy cannot be used: ${why}.` });
      }
    }
    return findings;
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
    const { phone, createdAt, addedBytes, origin, facts, parts } = copy;
    const manifest: CopyManifest<Facts, Kind> = {
      format: this.sort.format,
      version: copyVersion,
      id: randomUUID(),
      phone,
      note: '',
      createdAt: new Date(createdAt).toISOString(),
      addedBytes,
      ...(origin && { origin }),
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
    await this.sort.manifests.write(manifest);
    this.adopt(manifest);
    return manifest.id;
  }

  /** Notes, bins or takes out of the bin. */
  async change(id: string, change: { note?: string; binned?: boolean }): Promise<View> {
    const row = this.row(id);
    const note = change.note ?? row.note;
    const binnedAt =
      change.binned === undefined ? row.binnedAt : change.binned ? (row.binnedAt ?? this.now()) : null;
    if (note !== row.note) await this.sort.manifests.write({ ...(await this.manifestOf(row)), note });
    this.statements.change({ id, note, binnedAt });
    this.changed();
    return this.one(id);
  }

  /** Removes the copies that have been in the bin since before; their chunks are the collector's. */
  async removeBinned(before: number): Promise<number> {
    const ids = this.statements.binnedBefore(this.sort.kind, before);
    for (const id of ids) {
      await this.sort.manifests.remove(id);
      this.statements.remove(id);
    }
    if (ids.length > 0) this.changed();
    return ids.length;
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
    this.feed.send('copies', {});
  }

  private adopt(manifest: CopyManifest<Facts, Kind>): void {
    const { phone } = manifest;
    const createdAt = Date.parse(manifest.createdAt);
    if (!this.phones.one(phone.serial)) this.phones.seen({ ...phone, lastSeenAt: createdAt });
    this.statements.insert(
      {
        id: manifest.id,
        kind: this.sort.kind,
        serial: phone.serial,
        subject: this.sort.subjectOf(manifest.facts),
        note: manifest.note,
        createdAt,
        addedBytes: manifest.addedBytes,
        binnedAt: null,
        origin: manifest.origin ?? 'phone',
        facts: JSON.stringify(manifest.facts),
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
  }

  /** From its file, or from the catalogue when that was lost. */
  private async manifestOf(row: CopyWithPhone): Promise<CopyManifest<Facts, Kind>> {
    try {
      return await this.sort.manifests.read(row.id);
    } catch {
      const phone = this.phones.one(row.serial)!;
      const { serial, maker, model, nickname } = phone;
      return {
        format: this.sort.format,
        version: copyVersion,
        id: row.id,
        phone: { serial, maker, model, nickname },
        note: row.note,
        createdAt: new Date(row.createdAt).toISOString(),
        addedBytes: row.addedBytes,
        ...(row.origin !== 'phone' && { origin: row.origin as 'image' | 'imported' }),
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

/** What views of all copies have. */
const plainView = <Kind extends string>(row: CopyWithPhone, parts: readonly CopyPartHead[]) => ({
  id: row.id,
  serial: row.serial,
  nickname: row.nickname,
  createdAt: row.createdAt,
  note: row.note,
  parts: parts.map((part) => ({
    name: part.name,
    kind: part.kind as Kind,
    bytes: part.bytes,
    sha256: part.sha256.toString('hex'),
    damage: part.damage ?? undefined,
  })),
  bytes: parts.reduce((sum, { bytes }) => sum + bytes, 0),
  addedBytes: row.addedBytes,
  origin: row.origin as CopyView['origin'],
  binnedAt: row.binnedAt ?? undefined,
});

type Phones = Pick<PhoneStatements, 'one' | 'seen'>;

/** Copies of apps. */
export class AppCopies extends Copies<CopiedApp, PartKind, CopyView> {
  constructor(shelf: Shelf, statements: CopyStatements, phones: Phones, feed: Feed, now: () => number) {
    super(
      {
        kind: 'app',
        format: appCopyFormat,
        manifests: shelf.copies,
        subjectOf: (app) => app.package,
        labelOf: ({ label }) => label,
        viewOf: (row, app, parts) => ({ ...plainView<PartKind>(row, parts), app }),
      },
      statements,
      phones,
      feed,
      now,
    );
  }

  /** Packages that are not to be shown among the others. */
  aside(): ReadonlySet<string> {
    return new Set(this.statements.aside());
  }

  setAside(names: readonly string[], isAside: boolean): void {
    for (const name of names) {
      if (isAside) this.statements.setAside(name, this.now());
      else this.statements.takeUp(name);
    }
    this.changed();
  }
}

/** Copies of personal records. */
export class RecordCopies extends Copies<CopiedRecords, RecordsPartKind, RecordsView> {
  constructor(shelf: Shelf, statements: CopyStatements, phones: Phones, feed: Feed, now: () => number) {
    super(
      {
        kind: 'records',
        format: recordsCopyFormat,
        manifests: shelf.records,
        subjectOf: ({ kind }) => kind,
        labelOf: ({ kind }) => recordKind(kind).title,
        viewOf: (row, records, parts) => ({ ...plainView<RecordsPartKind>(row, parts), records }),
      },
      statements,
      phones,
      feed,
      now,
    );
  }
}
