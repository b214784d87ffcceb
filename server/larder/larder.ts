import type { SetDetail, SetView, ShelfView } from '@keen-larder/contract/sets.ts';
import type { Condition, NamedPhone } from '@keen-larder/core/phone/facts.ts';
import type { PhoneMode } from '@keen-larder/core/phone/modes.ts';
import type { Role } from '@keen-larder/core/phone/roles.ts';
import type { PhoneStatements } from '../database/phones.ts';
import type { ImageHead, ImageRow, SetStatements, SetWithPhone } from '../database/sets.ts';
import type { Feed } from '../events/feed.ts';
import {
  digestsOf,
  manifestFormat,
  manifestVersion,
  packChunkList,
  unpackChunkList,
  type Manifest,
} from '../shelf/manifest.ts';
import type { Shelf, ShelfFinding } from '../shelf/shelf.ts';
import type { AppCopies, RecordCopies } from './copies.ts';
import { imageView, rangesOf, viewOf } from './set-views.ts';
import { Problem } from '../failures.ts';

/** How long a set stays in the bin before it is gone. */
export const binMs = 24 * 60 * 60 * 1000;

export type NewSet = Omit<Manifest, 'format' | 'version'>;

/** An image, and what its set is called. */
export interface KeptImage {
  readonly label: string;
  readonly image: ImageRow;
}

/** Everything that is kept: sets in the catalogue and their bytes on the shelf. */
export class Larder {
  /** Runs that are storing chunks which no set names yet. */
  private writers = 0;
  private collecting: Promise<unknown> = Promise.resolve();

  constructor(
    readonly shelf: Shelf,
    private readonly sets: SetStatements,
    private readonly phones: PhoneStatements,
    private readonly chunks: { storedBytes(): number },
    /** Chunk lists of sets that are not finished; they are kept as well. */
    private readonly unfinished: { chunkLists(): Iterable<{ readonly chunks: Buffer }> },
    readonly copies: AppCopies,
    readonly records: RecordCopies,
    private readonly feed: Feed,
    private readonly now: () => number,
  ) {}

  /** Enters sets that only the shelf knows, and ends deletions that were broken off. */
  async reconcile(): Promise<ShelfFinding[]> {
    const findings: ShelfFinding[] = [];
    const known = new Set(this.sets.all().map(({ id }) => id));
    for (const id of await this.shelf.manifests.ids()) {
      if (known.has(id)) continue;
      try {
        const manifest = await this.shelf.manifests.read(id);
        this.adopt(manifest);
        findings.push({ level: 'info', text: `Entered the set “${manifest.label}” from its manifest.` });
      } catch (error) {
        findings.push({
          level: 'warning',
          text: `The manifest ${id} cannot be used: ${(error as Error).message}.`,
        });
      }
    }
    return [...findings, ...(await this.copies.reconcile()), ...(await this.records.reconcile())];
  }

  list(): SetView[] {
    const images = new Map<string, ImageHead[]>();
    for (const head of this.sets.allHeads()) {
      const list = images.get(head.setId);
      if (list) list.push(head);
      else images.set(head.setId, [head]);
    }
    return this.sets.all().map((row) => viewOf(row, images.get(row.id) ?? []));
  }

  /** @throws Problem 404 */
  detail(id: string): SetDetail {
    const row = this.row(id);
    const images = this.sets.heads(id);
    return { ...viewOf(row, images), images: images.map(imageView) };
  }

  /** The newest set that was read from a phone while one of its slots was the one that starts. */
  ofSlot(serial: string, slot: 'a' | 'b'): SetView | undefined {
    return this.list()
      .filter((set) => set.serial === serial && !set.imported && set.complete && set.binnedAt === undefined)
      .sort((a, b) => b.createdAt - a.createdAt)
      .find(({ condition }) => condition.slot === slot);
  }

  /** What is known of a phone that was seen or imported before. */
  phone(serial: string): NamedPhone | undefined {
    const row = this.phones.one(serial);
    return row && { serial, maker: row.maker, model: row.model, nickname: row.nickname };
  }

  labels(serial: string): string[] {
    return this.sets.labels(serial);
  }

  /** Partitions of a phone that some set holds, with when. */
  kept(serial: string): Map<string, number> {
    return new Map(this.sets.kept(serial).map(({ partition, createdAt }) => [partition, createdAt]));
  }

  /** Digests of whole partitions of a phone that some set holds; lower-case hexadecimal. */
  keptDigests(serial: string): Map<string, Set<string>> {
    const found = new Map<string, Set<string>>();
    for (const { partition, ranges, sha256 } of this.sets.kept(serial)) {
      if (ranges !== null) continue;
      const digests = found.get(partition) ?? new Set();
      found.set(partition, digests.add(sha256.toString('hex')));
    }
    return found;
  }

  /**
   * The newest image of a whole partition, among the sets in which it came out right.
   * @param bytes the size it must have; any where left out
   */
  newestWhole(serial: string, partition: string, bytes?: number): KeptImage | undefined {
    const newest = this.sets
      .kept(serial)
      .findLast(
        (each) =>
          each.partition === partition &&
          each.ranges === null &&
          (bytes === undefined || each.bytes === bytes),
      );
    return newest && { label: newest.label, image: this.image(newest.setId, partition) };
  }

  /** Names of those partitions of which some set has an image of the whole, in the size that they have. */
  keptWhole(serial: string, partitions: readonly { name: string; bytes: number }[]): string[] {
    const keyOf = (name: string, bytes: number) => `${name} ${bytes}`;
    const kept = new Set<string>();
    for (const { partition, bytes, ranges } of this.sets.kept(serial)) {
      if (ranges === null) kept.add(keyOf(partition, bytes));
    }
    return partitions.filter(({ name, bytes }) => kept.has(keyOf(name, bytes))).map(({ name }) => name);
  }

  /** @throws Problem 404 */
  image(setId: string, partition: string): ImageRow {
    const found = this.sets.image(setId, partition);
    if (!found) throw new Problem(404, `This set has no image of ${partition}.`);
    return found;
  }

  async shelfView(): Promise<ShelfView> {
    const { bytes, sets } = this.sets.totals();
    return {
      name: this.shelf.name,
      path: this.shelf.path,
      ...(await this.shelf.space()),
      storedBytes: this.chunks.storedBytes(),
      imagedBytes: bytes,
      setCount: sets,
    };
  }

  /** Does work that stores chunks; meanwhile nothing is collected. */
  async whileWriting<T>(work: () => Promise<T>): Promise<T> {
    this.writers++;
    try {
      await this.collecting;
      return await work();
    } finally {
      this.writers--;
    }
  }

  /** Makes a finished set known: its manifest first, so that the shelf alone can tell of it. */
  async add(set: NewSet): Promise<void> {
    const manifest: Manifest = { format: manifestFormat, version: manifestVersion, ...set };
    await this.shelf.manifests.write(manifest);
    this.adopt(manifest);
    this.changed();
  }

  /** Renames, notes, bins or takes out of the bin. */
  async change(id: string, change: { label?: string; note?: string; binned?: boolean }): Promise<SetDetail> {
    const row = this.row(id);
    const label = change.label?.trim() ?? row.label;
    const note = change.note ?? row.note;
    const binnedAt =
      change.binned === undefined ? row.binnedAt : change.binned ? (row.binnedAt ?? this.now()) : null;
    if (label === '') throw new Problem(400, 'A set needs a name.');
    if (label !== row.label && this.sets.labels(row.serial).includes(label)) {
      throw new Problem(409, `Another set of ${row.nickname} is called “${label}”. Choose another name.`);
    }
    if (label !== row.label || note !== row.note) {
      await this.shelf.manifests.write({ ...(await this.manifestOf(id)), label, note });
    }
    this.sets.change({ id, label, note, binnedAt });
    this.changed();
    return this.detail(id);
  }

  /**
   * Deletes the sets and copies that have been in the bin since before `before`, and frees their space.
   * @param isInUse sets that a run is working with stay for the next time
   * @throws Problem 409 while a run is storing images
   */
  async emptyBin(
    before: number,
    isInUse: (id: string) => boolean = () => false,
  ): Promise<{ removed: number; freedBytes: number }> {
    if (this.writers > 0)
      throw new Problem(409, 'A run is storing images now. Empty the bin when it has ended.');
    const emptied = this.collecting.then(() => this.removeBinned(before, isInUse));
    this.collecting = emptied.catch(() => undefined);
    return emptied;
  }

  private async removeBinned(
    before: number,
    isInUse: (id: string) => boolean,
  ): Promise<{ removed: number; freedBytes: number }> {
    const ids = this.sets.binnedBefore(before).filter((id) => !isInUse(id));
    for (const id of ids) {
      await this.shelf.manifests.remove(id);
      this.sets.remove(id);
    }
    const copies = (await this.copies.removeBinned(before)) + (await this.records.removeBinned(before));
    const { freedBytes } = await this.collect();
    if (ids.length > 0) this.changed();
    return { removed: ids.length + copies, freedBytes };
  }

  recordVerification(id: string, found: readonly { partition: string; damage: string | null }[]): void {
    this.sets.recordVerification(id, this.now(), found);
    this.changed();
  }

  changed(): void {
    this.feed.send('larder', {});
  }

  private collect(): Promise<{ freedBytes: number }> {
    const kept = new Set<string>();
    for (const lists of [this.sets.chunkLists(), this.unfinished.chunkLists(), this.copies.chunkLists()]) {
      for (const { chunks } of lists) {
        for (const digest of digestsOf(chunks)) if (digest) kept.add(digest.toString('latin1'));
      }
    }
    return this.shelf.collect((digest) => kept.has(digest.toString('latin1')));
  }

  private adopt(manifest: Manifest): void {
    const { phone } = manifest;
    const createdAt = Date.parse(manifest.createdAt);
    if (!this.phones.one(phone.serial)) this.phones.seen({ ...phone, lastSeenAt: createdAt });
    this.sets.insert(
      {
        id: manifest.id,
        label: manifest.label,
        note: manifest.note,
        serial: phone.serial,
        mode: manifest.mode ?? '',
        condition: JSON.stringify(manifest.condition),
        createdAt,
        elapsedMs: manifest.elapsedMs,
        addedBytes: manifest.addedBytes,
        verifiedAt: null,
        binnedAt: null,
        origin: manifest.origin ?? 'phone',
      },
      manifest.images.map((image, position) => ({
        setId: manifest.id,
        position,
        partition: image.partition,
        role: image.role,
        bytes: image.bytes,
        chunkBytes: image.chunkBytes,
        sha256: Buffer.from(image.sha256, 'hex'),
        chunks: packChunkList(image.chunks),
        fileSystem: image.fileSystem ?? null,
        usedBytes: image.usedBytes ?? null,
        damage: null,
        kind: image.kind ?? 'block',
        ranges: image.ranges ? JSON.stringify(image.ranges) : null,
        unsettled: image.unsettled ? JSON.stringify(image.unsettled) : null,
      })),
    );
  }

  private async manifestOf(id: string): Promise<Manifest> {
    try {
      return await this.shelf.manifests.read(id);
    } catch {
      return this.rebuildManifest(id);
    }
  }

  /** The manifest of a set from the catalogue, when its file was lost. */
  private rebuildManifest(id: string): Manifest {
    const row = this.row(id);
    return {
      format: manifestFormat,
      version: manifestVersion,
      id,
      label: row.label,
      note: row.note,
      phone: { serial: row.serial, maker: row.maker, model: row.model, nickname: row.nickname },
      ...(row.mode && { mode: row.mode as PhoneMode }),
      condition: JSON.parse(row.condition) as Condition,
      createdAt: new Date(row.createdAt).toISOString(),
      elapsedMs: row.elapsedMs,
      addedBytes: row.addedBytes,
      ...(row.origin === 'imported' && { origin: 'imported' as const }),
      images: this.sets.heads(id).map((head) => ({
        partition: head.partition,
        ...(head.kind === 'archive' && { kind: 'archive' as const }),
        role: head.role as Role,
        bytes: head.bytes,
        chunkBytes: head.chunkBytes,
        sha256: head.sha256.toString('hex'),
        ...(head.fileSystem && { fileSystem: head.fileSystem }),
        ...(head.usedBytes !== null && { usedBytes: head.usedBytes }),
        ...(head.ranges !== null && { ranges: rangesOf(head.ranges) }),
        ...(head.unsettled !== null && { unsettled: rangesOf(head.unsettled) }),
        chunks: unpackChunkList(this.image(id, head.partition).chunks),
      })),
    };
  }

  private row(id: string): SetWithPhone {
    const row = this.sets.one(id);
    if (!row) throw new Problem(404, 'There is no such set. It may have been deleted.');
    return row;
  }
}
