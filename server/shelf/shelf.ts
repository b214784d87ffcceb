import { randomUUID } from 'node:crypto';
import { readdir, rm, stat, statfs } from 'node:fs/promises';
import { join } from 'node:path';
import type { CopiedApp, PartKind } from '@keen-larder/core/apps/copies.ts';
import type { CopiedRecords, RecordsPartKind } from '@keen-larder/core/records/kinds.ts';
import type { ChunkRow, ChunkStatements } from '../database/chunks.ts';
import { makeFolder, partialSuffix, removeDurably } from '../disk/durable.ts';
import { ShelfFailure } from '../failures.ts';
import { Agreement } from './agreement.ts';
import { collectPacks, movePack } from './packs/collect.ts';
import { parseAppCopy, parseRecordsCopy, type CopyManifest } from './copy-manifest.ts';
import { FreedPacks } from './packs/freed-packs.ts';
import { ManifestFolder } from './manifest-folder.ts';
import { parseManifest, type Manifest } from './manifest.ts';
import { PackHealth } from './packs/pack-health.ts';
import { PackFiles } from './packs/pack-files.ts';
import { codecs, type PackedChunk, type Record } from './packs/pack-format.ts';
import type { ShelfCatalogue } from './shelf-catalogue.ts';
import { readShelfId, writeShelfFile } from './shelf-file.ts';
import { lockedText, ShelfSeal } from './shelf-seal.ts';
import type { ShelfWorkers } from './threads/workers.ts';

/** What was found and done when a shelf was opened. */
export interface ShelfFinding {
  readonly level: 'info' | 'warning';
  readonly text: string;
}

/** A folder in which the larder keeps bytes: packs of chunks, and a manifest for every set. */
export class Shelf {
  readonly packFolder: string;
  readonly manifests: ManifestFolder<Manifest>;
  readonly copies: ManifestFolder<CopyManifest<CopiedApp, PartKind>>;
  readonly records: ManifestFolder<CopyManifest<CopiedRecords, RecordsPartKind>>;
  readonly freed: FreedPacks;
  readonly seal: ShelfSeal;
  private readonly health: PackHealth;
  /** Why nothing of it may be freed, in sentences; empty where shelf and catalogue agree. */
  readonly doubts = new Set<string>();
  /** Why it is not there, and what to do; undefined where it is. */
  absence: string | undefined;
  private readonly chunks: ChunkStatements;
  private readonly files = new PackFiles();
  private packNames: Map<number, string>;
  private agreement: Agreement | undefined;
  private isReady = false;
  /** Chunks that were damaged and have been stored anew; hexadecimal. */
  private healed = new Set<string>();

  private constructor(
    readonly path: string,
    readonly name: string,
    private readonly catalogue: ShelfCatalogue,
    readonly workers: ShelfWorkers,
    private readonly isReadOnly = false,
  ) {
    this.chunks = catalogue.chunks;
    this.packFolder = join(path, 'packs');
    this.seal = new ShelfSeal(path, catalogue.identity, isReadOnly);
    this.manifests = new ManifestFolder(join(path, 'manifests'), parseManifest, this.seal);
    this.copies = new ManifestFolder(join(path, 'copies'), parseAppCopy, this.seal);
    this.records = new ManifestFolder(join(path, 'records'), parseRecordsCopy, this.seal);
    this.freed = new FreedPacks(path, this.packFolder, catalogue);
    this.health = new PackHealth(this.packFolder, catalogue, this, () => this.requireStillThere());
    this.packNames = new Map(this.chunks.packs().map(({ id, name: pack }) => [id, pack]));
  }

  /**
   * Opens a shelf and clears away what a killed run left behind; makes it where there was none. One that the catalogue knows
   * and that is not there is not made anew: it is away.
   * @param sealSecret of one that is sealed: without it, that stays locked
   * @throws Error when the folder is of something else; SealFailure
   */
  static async open(
    path: string,
    name: string,
    catalogue: ShelfCatalogue,
    workers: ShelfWorkers,
    sealSecret?: string,
  ): Promise<{ shelf: Shelf; findings: ShelfFinding[] }> {
    const shelf = new Shelf(path, name, catalogue, workers);
    const isKnown = catalogue.identity.row() !== undefined || catalogue.chunks.packs().length > 0;
    if (!isKnown) await shelf.make();
    await shelf.arrive();
    if (sealSecret !== undefined && shelf.seal.state === 'locked') {
      await shelf.seal.unlock(sealSecret);
      await shelf.arrive();
    }
    if (shelf.absence !== undefined) return { shelf, findings: [{ level: 'warning', text: shelf.absence }] };
    return { shelf, findings: await shelf.settleIn() };
  }

  /** A shelf that another program may be using: nothing is cleared away, nothing may be written. */
  static attach(path: string, name: string, catalogue: ShelfCatalogue, workers: ShelfWorkers): Shelf {
    return new Shelf(path, name, catalogue, workers, true);
  }

  /** Whether a chunk is stored, as far as is known; `digest` has 32 bytes. */
  has(digest: Uint8Array): boolean {
    return this.chunks.find(digest)?.damage === null;
  }

  /** Whether a chunk is stored and can be relied upon: its pack was read back whole not long ago, or is now. */
  async holds(digest: Uint8Array): Promise<boolean> {
    const row = this.chunks.find(digest);
    if (!row || row.damage !== null) return false;
    await this.health.trust(row.packId);
    return this.has(digest);
  }

  /** As `holds`, for all chunks of a list but those of zeros. */
  async holdsAll(digests: Iterable<Buffer | undefined>): Promise<boolean> {
    for (const digest of digests) if (digest && !(await this.holds(digest))) return false;
    return true;
  }

  find(digest: Uint8Array): ChunkRow | undefined {
    return this.chunks.find(digest);
  }

  /** Enters a pack in the catalogue that has just been read back whole. @param at the computer's clock */
  async register(name: string, bytes: number, records: readonly Record[]): Promise<void> {
    const { mtimeMs } = await stat(join(this.packFolder, name));
    const checked = { checkedAt: this.catalogue.now(), modifiedAt: Math.round(mtimeMs) };
    for (const { digest } of records)
      if (this.chunks.find(digest)?.damage != null) this.healed.add(digest.toString('hex'));
    this.chunks.addPack({ name, bytes, ...checked }, records);
    this.refreshPacks();
  }

  /** @throws ShelfFailure when a pack that was written is not on the disk as it was written */
  readonly readBack = (path: string, records: readonly Record[]): Promise<void> =>
    this.health.readBack(path, records);

  /**
   * Fills `stored` with a chunk's bytes as they lie in its pack. Collecting may move the chunk into
   * another pack meanwhile; it is then read there.
   * @throws Error when the pack cannot be read or ends too early
   */
  async readStored(row: ChunkRow, stored: Buffer): Promise<void> {
    // Its disk may have been connected again since.
    if (this.absence !== undefined) await this.isThere();
    this.requireThere();
    if (row.codec === codecs.sealed && !this.seal.master) throw new ShelfFailure(lockedText);
    try {
      await this.files.read(this.packPath(row.packId), stored, row.offset);
    } catch (error) {
      const now = this.find(row.digest);
      if (now && now.packId !== row.packId && now.storedBytes === row.storedBytes && now.codec === row.codec)
        return this.files.read(this.packPath(now.packId), stored, now.offset);
      await this.requireStillThere();
      throw error;
    }
  }

  /** A chunk as it was stored before it was sealed. @returns undefined where it is not as it was sealed @throws as `readStored` */
  async readChunk(row: ChunkRow): Promise<PackedChunk | undefined> {
    const stored = Buffer.allocUnsafeSlow(row.storedBytes);
    await this.readStored(row, stored);
    return this.seal.asPlain({ ...row, stored });
  }

  /** Chunks that were damaged and have been stored anew since this was last asked; hexadecimal. */
  takeHealed(): ReadonlySet<string> {
    const { healed } = this;
    this.healed = new Set();
    return healed;
  }

  /** A chunk was read and is not what it was: from now on it is not relied upon. */
  reportDamage(digest: Uint8Array, what: string): void {
    if (!this.isReadOnly) this.chunks.chunkDamaged(digest, what);
  }

  /** Pack and offset of a chunk, for messages. */
  placeOf(digest: Uint8Array): string {
    const row = this.find(digest);
    return row ? `${this.packName(row.packId)} at ${row.offset}` : 'no pack';
  }

  /** Of its disk; nothing where the shelf is not there. */
  async space(): Promise<{ freeBytes: number; totalBytes: number }> {
    if (this.absence !== undefined) return { freeBytes: 0, totalBytes: 0 };
    const { bavail, blocks, bsize } = await statfs(this.path);
    return { freeBytes: bavail * bsize, totalBytes: blocks * bsize };
  }

  /**
   * Looks whether the shelf and all its packs are there, in the sizes that they have; what is missing or cut is not relied
   * upon from now on.
   */
  async lookOver(): Promise<void> {
    if (!(await this.isThere())) return;
    await this.health.lookOver();
  }

  /** Looks whether the shelf is there; one that has come back is made ready for use. */
  async isThere(): Promise<boolean> {
    await this.arrive();
    if (this.absence !== undefined) return false;
    if (!this.isReady && !this.isReadOnly) await this.settleIn();
    return true;
  }

  /** @throws ShelfFailure where the shelf is not there */
  requireThere(): void {
    if (this.absence !== undefined) throw new ShelfFailure(this.absence);
  }

  /** Begins something after which an older catalogue would not know what is kept. */
  async advance(): Promise<void> {
    this.requireThere();
    if (this.doubts.size === 0) await this.agreement!.advance();
  }

  /** Shelf and catalogue have been made to agree. */
  async settle(): Promise<void> {
    this.requireThere();
    this.doubts.clear();
    await this.agreement!.settle();
  }

  /**
   * Frees the chunks that `isKept` does not keep: packs without any are put aside, packs that are mostly dead are written
   * anew. Killed at any point it leaves every kept chunk readable.
   * @param isThorough also packs are written anew in which anything else lies than what is kept
   * @throws ShelfFailure where the shelf is not there, or may not be freed
   */
  async collect(isKept: (digest: Buffer) => boolean, isThorough = false): Promise<{ freedBytes: number }> {
    this.requireThere();
    if (this.doubts.size > 0) throw new ShelfFailure([...this.doubts].join(' '));
    const before = this.chunks.storedBytes();
    const gone = collectPacks(this.packFolder, this.chunks, this.catalogue.now, isKept, {
      ...this.moving,
      isThorough,
    });
    for await (const pack of gone) {
      this.health.forget(pack.id);
      this.files.forget(join(this.packFolder, pack.name));
      await this.freed.putAside(pack);
    }
    this.refreshPacks();
    return { freedBytes: before - this.chunks.storedBytes() };
  }

  /**
   * Writes the next pack anew that is not stored as the shelf stores now: sealed, or not. What lay there before is gone at once.
   * @returns its bytes; undefined where none is left in which nothing is damaged
   */
  async resealNext(): Promise<number | undefined> {
    this.requireThere();
    const pack = this.chunks.nextUnlike(this.seal.masterToSeal !== undefined);
    if (!pack) return undefined;
    const rows = this.chunks.inPack(pack.id);
    if (rows.length > 0) await movePack(this.packFolder, this.chunks, this.catalogue.now, rows, this.moving);
    this.chunks.removePack(pack.id);
    this.health.forget(pack.id);
    this.files.forget(join(this.packFolder, pack.name));
    await removeDurably(join(this.packFolder, pack.name));
    this.refreshPacks();
    return pack.bytes;
  }

  private get moving() {
    return {
      readStored: (row: ChunkRow, stored: Buffer) => this.readStored(row, stored),
      readBack: this.readBack,
      asStored: (chunk: PackedChunk) => this.seal.asStored(chunk),
    };
  }

  /** Packs that had been freed count again. */
  async bringBackFreed(): Promise<ShelfFinding[]> {
    const findings: ShelfFinding[] = [];
    for (const name of await this.freed.bringBack()) findings.push(await this.enter(name));
    return findings;
  }

  /** Reads every pack back, however long ago that was done; resolves to how many chunks are damaged. */
  checkAll(passed: (bytes: number) => void): Promise<number> {
    return this.health.checkAll(passed);
  }

  /** Reads back the pack that was not read for longest; see `PackHealth.readOldest`. @throws ShelfFailure where the shelf is not there */
  async readOldest(before: number): Promise<number | undefined> {
    this.requireThere();
    return this.health.readOldest(before);
  }

  /** Reads a pack back from the disk; see `ShelfWorkers`. */
  checkPack(path: string, chunks?: readonly Record[]): ReturnType<ShelfWorkers['checkPack']> {
    return this.workers.checkPack(path, chunks, this.seal.master);
  }

  /** Closes its files; the workers are its opener's. */
  close(): void {
    this.files.forgetAll();
  }

  private async make(): Promise<void> {
    await makeFolder(this.packFolder);
    if ((await readShelfId(this.path)) === undefined) await this.describe(randomUUID());
  }

  /** Writes down which shelf it is, and whether it is sealed. */
  async describe(id = this.catalogue.identity.row()!.id): Promise<void> {
    await writeShelfFile(this.path, id, this.seal.state !== 'none');
  }

  /** Finds out whether the shelf is there. @throws Error when the folder is of something else */
  private async arrive(): Promise<void> {
    const id = await readShelfId(this.path);
    const known = this.catalogue.identity.row();
    if (id === undefined) {
      this.isReady = false;
      this.absence = `The shelf in ${this.path} is not there. Connect its disk, then try again.`;
      return;
    }
    this.absence =
      known && known.id !== id
        ? `In ${this.path} lies another shelf than the one that the catalogue is of. Connect the right disk, or rebuild the catalogue with “larder rebuild”.`
        : await this.seal.whyClosed();
    this.agreement ??= new Agreement(this.path, id, this.catalogue.identity);
  }

  /** Once it is there, and again when it was away: compares generations, removes unsealed packs, enters sealed ones that the catalogue does not know. */
  private async settleIn(): Promise<ShelfFinding[]> {
    await makeFolder(this.packFolder);
    for (const folder of [this.manifests, this.copies, this.records]) await folder.prepare();
    this.isReady = true;
    const names = await readdir(this.packFolder);
    const holdsSomething = names.length > 0 || (await this.manifests.ids()).length > 0;
    const doubt = await this.agreement!.doubt(holdsSomething, this.packNames.size === 0);
    if (doubt) this.doubts.add(doubt);
    const findings: ShelfFinding[] = doubt ? [{ level: 'warning', text: doubt }] : [];
    const known = new Set(this.packNames.values());
    // What is lost by then is taken from packs that the catalogue does not know.
    await this.health.lookOver();
    for (const name of names) {
      if (name.endsWith(partialSuffix)) {
        await rm(join(this.packFolder, name), { force: true });
        findings.push({ level: 'info', text: `Removed ${name}, which a broken-off run left unsealed.` });
      } else if (name.endsWith('.pack') && !known.has(name)) findings.push(await this.enter(name));
    }
    return findings;
  }

  /** Enters a pack in the catalogue that lies on the shelf. */
  private async enter(name: string): Promise<ShelfFinding> {
    try {
      const { bytes, frame, damaged, records } = await this.checkPack(join(this.packFolder, name));
      if (frame) return { level: 'warning', text: `${name} cannot be used: ${frame}.` };
      this.catalogue.identity.saveAlike(false);
      const bad = new Set(damaged.map(({ digest }) => Buffer.from(digest).toString('hex')));
      await this.register(
        name,
        bytes,
        records.filter(({ digest }) => !bad.has(digest.toString('hex'))),
      );
      const left =
        bad.size > 0 ? `; ${bad.size} more, which ${bad.size === 1 ? 'is' : 'are'} damaged, left out` : '';
      const text = `Entered ${name} with ${records.length - bad.size} chunks in the catalogue${left}.`;
      return { level: 'info', text };
    } catch (error) {
      return { level: 'warning', text: `${name} cannot be used: ${(error as Error).message}.` };
    }
  }

  private async requireStillThere(): Promise<void> {
    await this.arrive();
    this.requireThere();
  }

  private refreshPacks(): void {
    this.packNames = new Map(this.chunks.packs().map(({ id, name }) => [id, name]));
  }

  packName(packId: number): string {
    if (!this.packNames.has(packId)) this.refreshPacks();
    return this.packNames.get(packId) ?? `pack ${packId}`;
  }

  private packPath(packId: number): string {
    return join(this.packFolder, this.packName(packId));
  }
}
