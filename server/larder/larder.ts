import type { SetChange } from '@keen-larder/contract/requests/larder/sets.ts';
import type { SetChanges, SetDetail, SetView, ShelfView } from '@keen-larder/contract/sets.ts';
import { nextFreeLabel } from '@keen-larder/core/larder/label.ts';
import { roleOf } from '@keen-larder/core/phone/roles.ts';
import type { IdentityOrigin } from '@keen-larder/core/runsheet/restoring/facts.ts';
import type { NamedPhone } from '@keen-larder/core/phone/facts.ts';
import type { ChunkStatements } from '../database/chunks.ts';
import type { PhoneStatements } from '../database/phones.ts';
import type { ImageRow, SetStatements, SetWithPhone } from '../database/sets.ts';
import type { Feed } from '../events/feed.ts';
import { digestsOf, manifestFormat, manifestVersion, type Manifest } from '../shelf/manifest.ts';
import type { Shelf, ShelfFinding } from '../shelf/shelf.ts';
import { Bin } from './bin.ts';
import type { AppCopies, RecordCopies } from './copies.ts';
import type { LarderTime } from './larder-time.ts';
import { ManifestLedger } from './manifest-ledger.ts';
import { rebuild } from './rebuild.ts';
import { binOf, manifestOfRows, needsHealed, rowsOf } from './set-rows.ts';
import { imageView, SetList, shelfViewOf, viewOf } from './set-views.ts';
import { Problem } from '../failures.ts';
import { KeptPieces, type KeptImage } from './kept-pieces.ts';

export type NewSet = Omit<Manifest, 'format' | 'version'>;

/** What a larder is made of. */
export interface LarderParts {
  readonly shelf: Shelf;
  readonly sets: SetStatements;
  readonly phones: PhoneStatements;
  readonly chunks: ChunkStatements;
  /** Chunk lists of sets that are not finished; they are kept as well. */
  readonly unfinished: { chunkLists(): Iterable<{ readonly chunks: Buffer }> };
  readonly copies: AppCopies;
  readonly records: RecordCopies;
  readonly feed: Feed;
  /** The computer's clock. */
  readonly now: () => number;
  readonly time: Pick<LarderTime, 'nowMs'>;
}

/** Everything that is kept: sets in the catalogue and their bytes on the shelf. */
export class Larder {
  readonly shelf: Shelf;
  readonly copies: AppCopies;
  readonly records: RecordCopies;
  readonly bin: Bin;
  readonly pieces: KeptPieces;
  /** Told when something was kept, changed or removed. */
  onChange: () => void = () => undefined;
  private readonly sets: SetStatements;
  private readonly listed: SetList;
  private readonly phones: PhoneStatements;
  private readonly ledger: ManifestLedger<Manifest>;
  /** Labels of sets that are on their way. */
  private readonly reserved = new Map<symbol, { readonly serial: string; readonly label: string }>();

  constructor(private readonly parts: LarderParts) {
    this.shelf = parts.shelf;
    this.copies = parts.copies;
    this.records = parts.records;
    this.sets = parts.sets;
    this.listed = new SetList(parts.sets);
    this.pieces = new KeptPieces(parts.sets);
    this.phones = parts.phones;
    this.ledger = new ManifestLedger(parts.shelf, parts.shelf.manifests, {
      ids: () => this.sets.all().map(({ id }) => id),
      enter: (manifest) => this.enter(manifest),
      update: (manifest) => this.update(manifest),
      remove: (id) => this.sets.remove(id),
      changing: (id) => this.sets.changing(id),
      changingIds: () => this.sets.changingIds(),
      rebuild: (id) =>
        manifestOfRows(this.row(id), this.sets.heads(id), (name) => this.image(id, name).chunks),
      nameOf: ({ label }) => `the set “${label}”`,
      essenceOf: ({ label, note, createdAt, pinned, images }) => ({ label, note, createdAt, pinned, images }),
    });
    const removeSets = (beforeMs: number) => this.removeBinned(beforeMs);
    this.bin = new Bin(parts, [{ removeBinned: removeSets }, this.copies, this.records]);
    for (const each of [this.copies, this.records]) each.whyInUse = (id) => this.bin.whyInUse(id);
  }

  /** Brings catalogue and manifests together; see `ManifestLedger`. */
  async reconcile(): Promise<ShelfFinding[]> {
    if (this.shelf.absence !== undefined) return [];
    return [
      ...(await this.ledger.reconcile()),
      ...(await this.copies.reconcile()),
      ...(await this.records.reconcile()),
    ];
  }

  /** See `rebuild`; beside it nothing is stored. @throws Problem 409, ShelfFailure */
  rebuild(passed?: (bytes: number) => void): Promise<ShelfFinding[]> {
    return this.bin.alone(() => rebuild(this, passed));
  }

  /** Holds every manifest against the catalogue; see `rebuild`. */
  async rebuildLedgers(isOlder: boolean): Promise<ShelfFinding[]> {
    const now = this.parts.now();
    const findings: ShelfFinding[] = [];
    for (const each of [this.ledger, this.copies, this.records])
      findings.push(...(await each.rebuild(isOlder, now)));
    this.mend();
    this.changed();
    this.copies.changed();
    return findings;
  }

  /** Everything that is kept, with the chunks that it needs. */
  *chunkListsByName(): Generator<{ readonly name: string; readonly chunks: Buffer }> {
    for (const { id, label } of this.sets.all())
      for (const { partition } of this.sets.heads(id))
        yield { name: `“${label}”`, chunks: this.image(id, partition).chunks };
    yield* this.copies.chunkListsByName();
    yield* this.records.chunkListsByName();
  }

  list(): readonly SetView[] {
    return this.listed.all();
  }

  /** What changed of them since a revision that was told before. */
  changesSince(revision: number | undefined): SetChanges {
    return this.listed.since(revision);
  }

  /** @throws Problem 404 */
  detail(id: string): SetDetail {
    const row = this.row(id);
    const images = this.sets.heads(id);
    const untraced = images
      .filter(({ partition, role }) => role === 'identity' || roleOf(partition) === 'identity')
      .map(({ partition }) => ({ partition, origin: this.identityOrigin(id, partition, row.serial) }))
      .filter(({ origin }) => origin.is !== 'own');
    return { ...viewOf(row, images), images: images.map(imageView), untraced };
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

  /** Of a phone's sets, those on their way included. @param except a reservation of one's own */
  labels(serial: string, except?: symbol): string[] {
    const reserved = [...this.reserved]
      .filter(([mark, each]) => mark !== except && each.serial === serial)
      .map(([, { label }]) => label);
    return [...this.sets.labels(serial), ...reserved];
  }

  /**
   * Keeps a label for a set that is on its way, until it is let go.
   * @throws Problem 409 when another set of the phone has it
   */
  reserve(
    phone: Pick<NamedPhone, 'serial' | 'nickname'>,
    label: string,
  ): { readonly mark: symbol; release(): void } {
    this.requireFree(phone, label);
    const mark = Symbol(label);
    this.reserved.set(mark, { serial: phone.serial, label });
    return { mark, release: () => void this.reserved.delete(mark) };
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
    if (!newest) return undefined;
    const image = this.image(newest.setId, partition);
    return { label: newest.label, image, pieces: this.pieces.of(image) };
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

  /** Looks whether the shelf is there. @throws ShelfFailure */
  async requireShelf(): Promise<void> {
    const was = this.shelf.absence;
    await this.shelf.isThere();
    if (was !== this.shelf.absence) this.changed();
    this.shelf.requireThere();
  }

  /**
   * Whose identity an image is, by what was read from phones. An image of nothing but zeros carries none.
   * @param serial of the phone that it would go to
   */
  identityOrigin(setId: string, partition: string, serial: string): IdentityOrigin {
    const { sha256, chunks } = this.image(setId, partition);
    const readFrom = this.sets.origins(sha256);
    const isBlank = digestsOf(chunks).every((digest) => digest === undefined);
    if (isBlank || readFrom.includes(serial)) return { is: 'own' };
    return readFrom.length > 0 ? { is: 'foreign', serials: readFrom } : { is: 'unproved' };
  }

  async shelfView(): Promise<Omit<ShelfView, 'dueDays'>> {
    await this.shelf.isThere();
    return shelfViewOf(this.shelf, this.sets.totals(), this.parts.chunks.storedBytes());
  }

  /**
   * Does work that stores chunks; meanwhile nothing is collected. What it stored anew makes images whole that were damaged.
   * @throws ShelfFailure where the shelf is not there
   */
  async whileWriting<T>(work: () => Promise<T>): Promise<T> {
    try {
      return await this.bin.whileKept(async () => {
        await this.requireShelf();
        await this.shelf.lookOver();
        await this.shelf.advance();
        return work();
      });
    } finally {
      this.mend();
      // How much room there is has changed in any case.
      this.changed();
    }
  }

  /** Makes a finished set known: its manifest first, so that the shelf alone can tell of it. Returns the label that it got. */
  async add(set: NewSet): Promise<string> {
    const { label } = await this.ledger.add({ format: manifestFormat, version: manifestVersion, ...set });
    this.changed();
    return label;
  }

  /** Renames, notes, bins or takes out of the bin. @throws Problem */
  async change(id: string, change: SetChange): Promise<SetDetail> {
    this.row(id);
    await this.ledger.change(id, ({ binnedAt, pinned, ...manifest }) => {
      const label = change.label?.trim() ?? manifest.label;
      if (label === '') throw new Problem(400, 'A set needs a name.');
      if (label !== manifest.label) this.requireFree(manifest.phone, label);
      const inUse = change.binned && this.bin.whyInUse(id);
      if (inUse) throw new Problem(409, inUse);
      const since = binnedAt ?? new Date(this.parts.now()).toISOString();
      const isBinned = change.binned ?? binnedAt !== undefined;
      const { note = manifest.note } = change;
      const isPinned = change.pinned ?? pinned ?? false;
      if (isBinned && isPinned)
        throw new Problem(409, 'This set is pinned. Take the pin off before you delete it.');
      return {
        ...manifest,
        label,
        note,
        ...(isBinned && { binnedAt: since }),
        ...(isPinned && { pinned: true as const }),
      };
    });
    this.changed();
    return this.detail(id);
  }

  /** What is wrong with the manifest's file; undefined where it says what the catalogue does. */
  manifestFault(id: string): Promise<string | undefined> {
    return this.ledger.fault(id);
  }

  /** Writes a damaged manifest anew from the catalogue. */
  mendManifest(id: string): Promise<void> {
    return this.ledger.mend(id);
  }

  /** Removes sets for good, the bin left out; their chunks are the collector's. @throws Problem 409 where one is in use */
  async remove(ids: readonly string[]): Promise<void> {
    for (const id of ids)
      if (!(await this.ledger.remove(id, () => !this.bin.whyInUse(id))))
        throw new Problem(409, this.bin.whyInUse(id) ?? 'A set cannot be removed now.');
    this.changed();
  }

  recordVerification(id: string, found: readonly { partition: string; damage: string | null }[]): void {
    this.sets.recordVerification(id, this.parts.now(), found);
    this.changed();
  }

  changed(): void {
    this.onChange();
    this.parts.feed.send('larder', {});
  }

  private async removeBinned(beforeMs: number): Promise<number> {
    let removed = 0;
    for (const id of this.sets.binnedBefore(beforeMs)) {
      const mayGo = () => this.sets.one(id)?.binnedAt != null && !this.bin.whyInUse(id);
      if (await this.ledger.remove(id, mayGo)) removed++;
    }
    if (removed > 0) this.changed();
    return removed;
  }

  /** Images that were damaged, and whole again by what was stored anew, are damaged no more; they are to be verified anew. */
  private mend(): void {
    const healed = this.shelf.takeHealed();
    if (healed.size === 0) return;
    const isMended = (chunks: Buffer) => needsHealed(chunks, healed, this.shelf);
    const mended = this.sets.damagedImages().filter(({ chunks }) => isMended(chunks));
    for (const { setId, partition } of mended) this.sets.mended(setId, partition);
    this.copies.mend(isMended);
    if (mended.length > 0) this.changed();
  }

  /** Where another set of the phone has its label, it gets one of its own. */
  private enter(manifest: Manifest): Manifest {
    const { phone } = manifest;
    const label = nextFreeLabel(manifest.label, this.sets.labels(phone.serial));
    const entered = label === manifest.label ? manifest : { ...manifest, label };
    if (!this.phones.one(phone.serial))
      this.phones.seen({
        ...phone,
        lastSeenAt: Date.parse(manifest.createdAt),
        isModel: manifest.origin === 'firmware',
      });
    const { set, images } = rowsOf(entered, this.parts.time.nowMs);
    this.sets.insert(set, images);
    return entered;
  }

  private update({ id, label, note, binnedAt, pinned }: Manifest): void {
    const before = this.row(id);
    const isAsBefore = (binnedAt !== undefined) === (before.binnedAt !== null);
    const bin = isAsBefore ? before : binOf(binnedAt, this.parts.time.nowMs);
    const { binnedAt: at, binnedMs } = bin;
    this.sets.change({ id, label, note, binnedAt: at, binnedMs, pinned: pinned ? 1 : 0 });
  }

  /** @throws Problem 409 when another set of a phone has that label, or will have */
  private requireFree({ serial, nickname }: Pick<NamedPhone, 'serial' | 'nickname'>, label: string): void {
    if (!this.labels(serial).includes(label)) return;
    throw new Problem(409, `Another set of ${nickname} is called “${label}”. Choose another name.`);
  }

  private row(id: string): SetWithPhone {
    const row = this.sets.one(id);
    if (!row) throw new Problem(404, 'There is no such set. It may have been deleted.');
    return row;
  }
}
