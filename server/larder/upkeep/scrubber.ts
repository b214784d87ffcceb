import { setTimeout as pause } from 'node:timers/promises';
import type { ScrubView } from '@keen-larder/contract/order.ts';
import type { ChunkStatements } from '../../database/chunks.ts';
import type { CopyStatements } from '../../database/copies.ts';
import type { SetStatements } from '../../database/sets.ts';
import type { ScrubFindingStatements } from '../../database/upkeep/scrub-findings.ts';
import { digestsOf } from '../../shelf/manifest.ts';
import type { Shelf } from '../../shelf/shelf.ts';

const day = 24 * 60 * 60 * 1000;
/** Every stored chunk is read again within so many days. */
export const usualScrubDays = 30;
/** Of one processor. */
const share = 0.05;
const restMs = 10 * 60_000;
const busyMs = 10_000;
const shownFindings = 20;

export interface ScrubberParts {
  readonly shelf: Shelf;
  readonly chunks: ChunkStatements;
  readonly sets: SetStatements;
  readonly copies: CopyStatements;
  readonly findings: ScrubFindingStatements;
  readonly now: () => number;
  /** A run is under way: it has the disk to itself. */
  readonly isBusy: () => boolean;
  /** Told of sets and copies that were found damaged. @param repaired all of it was put on the shelf anew from off-site; @param fault why not */
  readonly onDamage: (names: readonly string[], repaired: boolean, fault?: string) => void;
  /** Puts chunks on the shelf anew that another place has; resolves to how many. Left out where there is none. */
  readonly repair?: (digests: readonly Buffer[]) => Promise<number>;
  readonly days?: number;
}

/**
 * Reads what is stored again, the packs first that were not read for longest, one after the other with pauses between: what is
 * damaged is to be found while the phone is still there to be imaged again.
 */
export class Scrubber {
  private readonly ending = new AbortController();
  private running: Promise<void> = Promise.resolve();
  private readonly days: number;

  constructor(private readonly parts: ScrubberParts) {
    this.days = parts.days ?? usualScrubDays;
  }

  start(): void {
    this.running = this.run();
  }

  /** Resolves when the pack under way has been read. */
  async stop(): Promise<void> {
    this.ending.abort();
    await this.running;
  }

  view(): ScrubView {
    const packs = this.parts.chunks.packs();
    const read = packs.flatMap(({ checkedAt }) => (checkedAt === null ? [] : [checkedAt]));
    const due = packs.filter(({ checkedAt }) => (checkedAt ?? -Infinity) < this.dueBefore);
    return {
      days: this.days,
      oldestAt: read.length > 0 ? Math.min(...read) : undefined,
      dueBytes: due.reduce((sum, { bytes }) => sum + bytes, 0),
      damagedChunks: this.parts.chunks.damaged().length,
      findings: this.parts.findings.newest(shownFindings).map(({ goodAt, fault, ...finding }) => ({
        ...finding,
        goodAt: goodAt ?? undefined,
        fault: fault ?? undefined,
      })),
    };
  }

  /**
   * Reads the pack that was not read for longest, where it is due; what it finds damaged is noted with every set and copy that
   * needs it.
   * @param before packs that were last read before then
   * @returns how many bytes were read; undefined where nothing is due
   */
  async step(before = this.dueBefore): Promise<number | undefined> {
    const { shelf, chunks } = this.parts;
    const known = new Set(chunks.damaged().map(asKey));
    const bytes = await shelf.readOldest(before);
    if (bytes === undefined) return undefined;
    const found = chunks.damaged().filter((digest) => !known.has(asKey(digest)));
    if (found.length > 0) await this.deal(found);
    this.settle();
    return bytes;
  }

  /** Notes what is damaged, and has it repaired where that can be done: then it is noted as damaged no more. */
  private async deal(found: readonly Buffer[]): Promise<void> {
    const { repair, onDamage, findings, now } = this.parts;
    const { names, ...hurt } = this.note(new Set(found.map(asKey)));
    const finding = findings.add(now(), found.length, hurt);
    let fault: string | undefined;
    const repaired = await repair?.(found).catch((error: unknown) => {
      fault = (error as Error).message;
      return 0;
    });
    if (fault) findings.fault(finding, fault);
    onDamage(names, repaired === found.length, fault);
  }

  private settle(): void {
    const { chunks, findings, now } = this.parts;
    if (chunks.damaged().length === 0) findings.allGood(now());
  }

  /** Reads what is due at once, or all of it. @returns how many bytes were read */
  async readNow(isAll: boolean): Promise<number> {
    const before = isAll ? this.parts.now() : this.dueBefore;
    await this.repairKnown();
    let sum = 0;
    for (let read = await this.step(before); read !== undefined; read = await this.step(before)) sum += read;
    return sum;
  }

  /** What was found damaged before, or while the other place was locked. */
  private async repairKnown(): Promise<void> {
    const damaged = this.parts.chunks.damaged();
    if (damaged.length > 0) await this.parts.repair?.(damaged).catch(() => 0);
    this.settle();
  }

  private get dueBefore(): number {
    return this.parts.now() - this.days * day;
  }

  private async run(): Promise<void> {
    const { shelf, isBusy } = this.parts;
    const rest = (ms: number) => pause(ms, undefined, { signal: this.ending.signal, ref: false });
    try {
      for (;;) {
        if (isBusy() || shelf.absence !== undefined) {
          await rest(busyMs);
          continue;
        }
        const since = performance.now();
        // A disk that fails now may answer later.
        const bytes = await this.step().catch(() => undefined);
        if (bytes === undefined) await this.repairKnown();
        await rest(bytes === undefined ? restMs : (performance.now() - since) * (1 / share - 1));
      }
    } catch (error) {
      if (!this.ending.signal.aborted) throw error;
    }
  }

  private note(damaged: ReadonlySet<string>) {
    const { sets, copies } = this.parts;
    const hurtSets: string[] = [];
    const hurtCopies = new Set<string>();
    const isHurt = (chunks: Buffer) =>
      digestsOf(chunks).some((digest) => digest && damaged.has(asKey(digest)));
    const words = 'a part of it was found damaged when the shelf was read again';
    const names: string[] = [];
    for (const { id, label } of sets.all()) {
      const hurt = sets.heads(id).filter(({ partition }) => isHurt(sets.image(id, partition)!.chunks));
      for (const { partition } of hurt) sets.damaged(id, partition, `${partition}: ${words}`);
      if (hurt.length === 0) continue;
      hurtSets.push(id);
      names.push(`“${label}”`);
    }
    for (const { copyId, name } of copies.heads()) {
      if (!isHurt(copies.part(copyId, name)!.chunks)) continue;
      copies.damaged(copyId, name, words);
      hurtCopies.add(copyId);
      names.push(`a copy (${name})`);
    }
    return { names, sets: hurtSets, copies: [...hurtCopies] };
  }
}

const asKey = (digest: Buffer): string => digest.toString('hex');
