import { stat } from 'node:fs/promises';
import { join } from 'node:path';
import type { ChunkStatements, PackRow } from '../../database/chunks.ts';
import { notAsWritten } from '../../failures.ts';
import type { Record } from './pack-format.ts';
import type { PackFindings } from './pack-check.ts';

const day = 24 * 60 * 60 * 1000;
/** A pack that was read back whole so long ago is read again before anything relies on it. */
const trustMs = 7 * day;

const missing = 'its pack is missing';

/** Which of the stored chunks can be relied upon: it looks at packs, and writes down in the catalogue what it finds. */
export class PackHealth {
  /** By the pack's id. */
  private readonly trusted = new Map<number, Promise<void>>();
  /** Packs that could not be read, by id, and when that was tried. */
  private readonly triedAt = new Map<number, number>();

  /** @param requireThere throws when the whole shelf is away: then no pack of it is damaged */
  constructor(
    private readonly folder: string,
    private readonly catalogue: { readonly chunks: ChunkStatements; readonly now: () => number },
    private readonly packs: { checkPack(path: string, chunks: readonly Record[]): Promise<PackFindings> },
    private readonly requireThere: () => Promise<void>,
  ) {}

  /** Holds the file of every pack against what the catalogue has of it. */
  async lookOver(): Promise<void> {
    for (const pack of this.catalogue.chunks.packs()) await this.lookAt(pack);
  }

  /** Reads a pack back unless that was done not long ago. */
  trust(packId: number): Promise<void> {
    let checked = this.trusted.get(packId);
    if (!checked) {
      const pack = this.catalogue.chunks.pack(packId);
      const since = pack?.checkedAt ?? -Infinity;
      const isFresh = Math.abs(this.catalogue.now() - since) < trustMs;
      checked = pack && !isFresh ? this.check(pack) : Promise.resolve();
      checked.catch(() => this.trusted.delete(packId));
      this.trusted.set(packId, checked);
    }
    return checked;
  }

  /** Reads every pack back, however long ago that was done; resolves to how many chunks are damaged. */
  async checkAll(passed: (bytes: number) => void): Promise<number> {
    for (const pack of this.catalogue.chunks.packs()) {
      await this.check(pack);
      passed(pack.bytes);
    }
    return this.catalogue.chunks.damaged().length;
  }

  /**
   * Reads back the pack that was not read for longest, where that was before a time; one that could not be read is tried again a
   * day later.
   * @returns its bytes; undefined where there is none
   */
  async readOldest(before: number): Promise<number | undefined> {
    const now = this.catalogue.now();
    const since = ({ id, checkedAt }: PackRow) => checkedAt ?? this.triedAt.get(id) ?? -Infinity;
    const isDue = (pack: PackRow) => since(pack) < (pack.checkedAt === null ? now - day : before);
    const [oldest] = this.catalogue.chunks
      .packs()
      .filter(isDue)
      .sort((a, b) => since(a) - since(b));
    if (!oldest) return undefined;
    this.triedAt.set(oldest.id, now);
    await this.check(oldest);
    return oldest.bytes;
  }

  forget(packId: number): void {
    this.trusted.delete(packId);
  }

  /** @throws ShelfFailure when a pack that was written is not on the disk as it was written */
  async readBack(path: string, records: readonly Record[]): Promise<void> {
    const { frame, damaged } = await this.packs.checkPack(path, records);
    if (!frame && damaged.length === 0) return;
    throw notAsWritten(`the shelf (${frame ?? `a chunk ${damaged[0]!.what}`})`);
  }

  private async lookAt(pack: PackRow): Promise<void> {
    const { chunks } = this.catalogue;
    const { id, bytes, checkedAt, modifiedAt } = pack;
    const found = await stat(join(this.folder, pack.name)).catch(() => undefined);
    if (!found) {
      this.trusted.delete(id);
      chunks.packLost(id, missing);
      return;
    }
    const isOther = found.size !== bytes || (checkedAt !== null && Math.round(found.mtimeMs) !== modifiedAt);
    const isBack = checkedAt === null && chunks.inPack(id)[0]?.damage === missing;
    if (!isOther && !isBack) return;
    this.trusted.delete(id);
    await this.check(pack);
  }

  private async check({ id, name }: PackRow): Promise<void> {
    const { chunks, now } = this.catalogue;
    try {
      const { modifiedAt, damaged } = await this.packs.checkPack(join(this.folder, name), chunks.inPack(id));
      chunks.packChecked({ id, at: now(), modifiedAt }, damaged);
    } catch (error) {
      await this.requireThere();
      chunks.packLost(id, `its pack cannot be read (${(error as Error).message})`);
    }
  }
}
