import type { OffsiteStatements } from '../database/offsite/offsite.ts';
import { BucketFailure, DamagedImage, SealFailure } from '../failures.ts';
import { objectNames, type ManifestKind } from './bucket.ts';
import { hasAny, readState, type BucketState, type OffsiteManifest } from './bucket-state.ts';
import type { OffsitePacks } from './offsite-packs.ts';
import type { SealedBucket } from './sealed-bucket.ts';

/** A pack that is to go is waited for so long: somebody may be about to need it. */
export const tombstoneMs = 24 * 60 * 60 * 1000;

/** Something that is kept in the larder. */
export interface KeptThing {
  readonly kind: ManifestKind;
  readonly id: string;
  /** For messages, e.g. `“Before the update”`. */
  readonly name: string;
  /** Of its manifest: another one as soon as that was written anew. */
  stamp(): Promise<string>;
  /** Its manifest as JSON. */
  manifest(): Promise<string>;
  /** Names of its chunks, those of zeros left out. */
  chunks(): Buffer[];
}

export interface InStep {
  readonly sent: number;
  readonly sentBytes: number;
  /** What could not be sent, each with why. */
  readonly left: readonly string[];
}

interface KeepingParts {
  readonly sealed: SealedBucket;
  readonly packs: OffsitePacks;
  readonly rows: OffsiteStatements;
  readonly bench: string;
  readonly now: () => number;
  /** Reads what a manifest in the bucket names. */
  readonly read: (manifest: OffsiteManifest) => Promise<{ readonly chunks: readonly Buffer[] }>;
}

/** Keeps a bench's part of the bucket as its larder is: sends what is missing, and removes what nobody needs. */
export class KeepingInStep {
  /** What is needed and what is claimed were compared since the program was started. */
  private isTidied = false;

  constructor(private readonly parts: KeepingParts) {}

  /**
   * What of the larder the bucket does not have: nothing is relied upon that is not there by now.
   * @returns what is to be sent, the rest is there
   * @throws BucketFailure, SealFailure
   */
  async look(
    kept: readonly KeptThing[],
  ): Promise<{ readonly state: BucketState; readonly missing: KeptThing[] }> {
    const { sealed, packs, rows, bench } = this.parts;
    const state = await readState(sealed.bucket);
    const isLess = await packs.bringUpToDate(state);
    const own = new Map(
      state.kept.filter((each) => each.bench === bench).map((each) => [keyOf(each), each.bytes]),
    );
    const known = new Map(rows.kept().map((row) => [keyOf(row), row]));
    for (const [key, { kind, id }] of known)
      if (!own.has(key)) {
        rows.drop(kind, id);
        known.delete(key);
      } else if (isLess && !this.isWhole(kept, key)) {
        rows.stale(kind, id);
        known.delete(key);
      }
    const missing: KeptThing[] = [];
    for (const thing of kept) {
      const row = known.get(keyOf(thing));
      if (row && row.stamp === (await thing.stamp()) && own.get(keyOf(thing)) === row.bytes) continue;
      // Not off-site as it is now; what was sent of it before is found again.
      if (own.has(keyOf(thing))) rows.stale(thing.kind, thing.id);
      missing.push(thing);
    }
    return { state, missing };
  }

  /**
   * Sends what is missing, one thing after the other; what is damaged here is left out.
   * @throws BucketFailure; what was sent before stays, and the next time goes on from there
   */
  async send(
    missing: readonly KeptThing[],
    passed: (bytes: number) => void = () => undefined,
    signal?: AbortSignal,
  ): Promise<InStep> {
    const { packs, rows, now } = this.parts;
    const left: string[] = [];
    let [sent, sentBytes] = [0, 0];
    try {
      for (const thing of missing) {
        try {
          packs.requireWhole(thing.chunks());
          for (let isSafe = false; !isSafe;) {
            for (const digest of thing.chunks()) {
              signal?.throwIfAborted();
              if (packs.has(digest)) continue;
              const bytes = await packs.send(digest);
              sentBytes += bytes;
              passed(bytes);
            }
            await packs.flush();
            isSafe = await packs.claim(thing.chunks());
          }
          // Looked at first: what is changed meanwhile is another one the next time.
          const stamp = await thing.stamp();
          rows.stale(thing.kind, thing.id);
          const bytes = await this.sendManifest(thing);
          rows.keep({ kind: thing.kind, id: thing.id, stamp, bytes, since: now() });
          sent++;
        } catch (error) {
          if (!(error instanceof DamagedImage)) throw error;
          left.push(`${thing.name} was not copied: ${error.message}.`);
        }
      }
    } finally {
      await packs.discard();
    }
    return { sent, sentBytes, left };
  }

  /**
   * Removes what this bench needs no more: manifests at once, packs that no bench needs when they have had their tombstones for a day.
   * @returns bytes of the packs that went
   * @throws BucketFailure, SealFailure
   */
  async tidy(kept: readonly KeptThing[]): Promise<number> {
    const { sealed, bench } = this.parts;
    const state = await readState(sealed.bucket);
    const unknown: Pick<KeptThing, 'chunks'>[] = [];
    const isLess = await this.removeManifests(kept, state, unknown);
    // All of a large larder is gone through only where something may have become free, and once after each start.
    if (isLess || !this.isTidied) {
      if (!(await this.release(kept, unknown, state))) return 0;
      this.isTidied = true;
    }
    let freed = 0;
    for (const [pack, benches] of state.tombstones)
      if (benches.has(bench)) freed += await this.settle(pack, state.packs.get(pack) ?? 0);
    return freed;
  }

  /** @param unknown gets what is there of a home that was lost, and has not been fetched yet @returns whether any went */
  private async removeManifests(
    kept: readonly KeptThing[],
    state: BucketState,
    unknown: Pick<KeptThing, 'chunks'>[],
  ): Promise<boolean> {
    const { sealed, rows, bench, read } = this.parts;
    const [stays, wasKept] = [new Set(kept.map(keyOf)), new Set(rows.kept().map(keyOf))];
    let isLess = false;
    for (const each of state.kept) {
      if (each.bench !== bench || stays.has(keyOf(each))) continue;
      if (wasKept.has(keyOf(each))) {
        await sealed.bucket.remove(objectNames.manifest(bench, each.kind, each.id));
        rows.drop(each.kind, each.id);
        isLess = true;
      } else {
        const { chunks } = await read(each);
        unknown.push({ chunks: () => [...chunks] });
      }
    }
    return isLess;
  }

  /** Claims only what is needed, and buries what nobody claims. @returns false where that is not known: nothing goes */
  private async release(
    kept: readonly KeptThing[],
    unknown: readonly Pick<KeptThing, 'chunks'>[],
    state: BucketState,
  ): Promise<boolean> {
    const { sealed, packs, rows, bench } = this.parts;
    const isThere = new Map(rows.kept().map((row) => [keyOf(row), row.stamp !== '']));
    const needing = kept.flatMap((thing): Pick<KeptThing, 'chunks'>[] => {
      const isAsNow = isThere.get(keyOf(thing));
      if (isAsNow === undefined) return [];
      // Of one that is not there as it is now, what is there stays.
      return isAsNow ? [thing] : [{ chunks: () => thing.chunks().filter((digest) => packs.has(digest)) }];
    });
    needing.push(...unknown);
    const needed = packs.packsOf(chunksOf(needing));
    if (!needed) return false;
    await this.claimAgain(kept, needed, state);
    const nobodys = new Set([...state.packs.keys(), ...state.indexes]);
    for (const [pack, benches] of state.claims) {
      if (benches.has(bench) && !needed.has(pack)) {
        await sealed.bucket.remove(objectNames.claim(pack, bench));
        packs.forget(pack);
        if (benches.size === 1) continue;
      }
      nobodys.delete(pack);
    }
    for (const pack of nobodys) if (!state.tombstones.get(pack)?.has(bench)) await this.bury(pack);
    return true;
  }

  /**
   * Removes chunks that nothing here needs any more: what else is needed of their packs is sent anew, and the packs go.
   * @returns how many packs go
   * @throws BucketFailure, SealFailure
   */
  async erase(kept: readonly KeptThing[], digests: readonly Buffer[]): Promise<number> {
    const { packs, rows } = this.parts;
    await this.look(kept);
    const gone = packs.forgetThoseWith(digests);
    this.isTidied = false;
    const broken = kept.filter((thing) => !packs.packsOf(thing.chunks()));
    await this.send(broken);
    for (const { kind, id } of broken) {
      const isThere = rows.kept().some((row) => row.kind === kind && row.id === id && row.stamp !== '');
      if (!isThere)
        throw new BucketFailure(
          'What else lies in the same packs could not be sent again. Verify all sets first.',
        );
    }
    await this.tidy(kept);
    return gone;
  }

  /** Claims that the bucket has lost; what relied on packs that went with them is not off-site. */
  private async claimAgain(
    kept: readonly KeptThing[],
    needed: ReadonlySet<string>,
    { claims }: BucketState,
  ): Promise<void> {
    const { packs, rows, bench } = this.parts;
    const lost = [...needed].filter((pack) => !claims.get(pack)?.has(bench));
    if (lost.length === 0 || (await packs.claimPacks(lost, true))) return;
    for (const thing of kept) if (!packs.packsOf(thing.chunks())) rows.stale(thing.kind, thing.id);
  }

  private async bury(pack: string): Promise<void> {
    const { sealed, bench, now } = this.parts;
    await sealed.put(objectNames.tombstone(pack, bench), Buffer.from(JSON.stringify({ at: now() })));
  }

  /** A tombstone of this bench: after a day the pack goes, unless somebody needs it. */
  private async settle(pack: string, bytes: number): Promise<number> {
    const { sealed, bench, now } = this.parts;
    const { bucket } = sealed;
    const at = await this.buriedAt(pack);
    if (at === undefined) await this.bury(pack);
    if (at === undefined || now() - at < tombstoneMs) return 0;
    const isNeeded = await hasAny(bucket, `${objectNames.claims}${pack}/`);
    if (!isNeeded) {
      await bucket.remove(objectNames.index(pack));
      await bucket.remove(objectNames.pack(pack));
    }
    // After the pack: as long as it stands, nobody relies on the pack.
    await bucket.remove(objectNames.tombstone(pack, bench));
    return isNeeded ? 0 : bytes;
  }

  /** Undefined where its tombstone cannot be read. */
  private async buriedAt(pack: string): Promise<number | undefined> {
    const { sealed, bench } = this.parts;
    try {
      const text = (await sealed.get(objectNames.tombstone(pack, bench))).toString();
      return (JSON.parse(text) as { readonly at: number }).at;
    } catch (error) {
      if (error instanceof SealFailure) return undefined;
      throw error;
    }
  }

  private isWhole(kept: readonly KeptThing[], key: string): boolean {
    const thing = kept.find((each) => keyOf(each) === key);
    // What went here goes there as well, whatever is left of it.
    return !thing || this.parts.packs.packsOf(thing.chunks()) !== undefined;
  }

  private async sendManifest({ kind, id, manifest }: KeptThing): Promise<number> {
    const { sealed, bench } = this.parts;
    return sealed.put(objectNames.manifest(bench, kind, id), Buffer.from(await manifest()));
  }
}

function* chunksOf(things: readonly Pick<KeptThing, 'chunks'>[]): Generator<Buffer> {
  for (const thing of things) yield* thing.chunks();
}

const keyOf = ({ kind, id }: { readonly kind: string; readonly id: string }): string => `${kind}/${id}`;
