import type { OffsiteThingView } from '@keen-larder/contract/larder/offsite.ts';
import type { OffsiteStatements } from '../database/offsite/offsite.ts';
import { BucketFailure, DamagedImage, Problem, SealFailure } from '../failures.ts';
import { parseManifest } from '../shelf/manifest.ts';
import type { Shelf } from '../shelf/shelf.ts';
import { objectNames } from './bucket.ts';
import { hasAny, readState, type OffsiteManifest } from './bucket-state.ts';
import { Fetching, type OffsiteThing } from './fetching.ts';
import { KeepingInStep, type KeptThing } from './keeping-in-step.ts';
import { OffsitePacks } from './offsite-packs.ts';
import type { SealedBucket } from './sealed-bucket.ts';

export interface OpenCopyParts {
  readonly rows: OffsiteStatements;
  readonly shelf: Shelf;
  readonly things: () => KeptThing[];
  readonly now: () => number;
  /** Its id. */
  readonly bench: string;
  readonly pace: (bytes: number) => Promise<void>;
}

/** A copy whose seal is open, and what is done with it. */
export class OpenCopy {
  readonly keeping: KeepingInStep;
  readonly fetching: Fetching;
  private readonly packs: OffsitePacks;

  constructor(
    readonly sealed: SealedBucket,
    private readonly parts: OpenCopyParts,
  ) {
    const { rows, shelf, now, bench, pace } = parts;
    this.packs = new OffsitePacks({ sealed, rows, bench, shelf, pace });
    this.fetching = new Fetching(sealed, this.packs, shelf);
    const read = (manifest: OffsiteManifest) => this.fetching.read(manifest);
    this.keeping = new KeepingInStep({ sealed, packs: this.packs, rows, bench, now, read });
  }

  /** As they are stored here. */
  bytesToSend(missing: readonly KeptThing[]): number {
    const wanted = new Map(
      missing.flatMap((thing) => thing.chunks()).map((digest) => [digest.toString('latin1'), digest]),
    );
    return this.storedHere([...wanted.values()].filter((digest) => !this.packs.has(digest)));
  }

  /** What any bench has in the bucket. @throws BucketFailure, SealFailure */
  async manifests(): Promise<OffsiteManifest[]> {
    const state = await readState(this.sealed.bucket);
    await this.packs.bringUpToDate(state);
    return [...state.kept];
  }

  /**
   * Everything in the bucket that the larder does not have.
   * @param onUnreadable told of what somebody else's seal, or damage, keeps from being read
   */
  async elsewhere(onUnreadable: (words: string) => void): Promise<OffsiteThingView[]> {
    const here = new Set(this.parts.things().map(keyOf));
    const names = new Map<string, string>();
    const found: OffsiteThingView[] = [];
    for (const manifest of await this.manifests()) {
      if (here.has(keyOf(manifest))) continue;
      const { bench, kind, id } = manifest;
      if (!names.has(bench))
        names.set(bench, (await nameOfBench(this.sealed, bench)) ?? 'a bench without a name');
      const thing = await this.fetching.read(manifest).catch((error: unknown) => {
        if (!(error instanceof SealFailure)) throw error;
        onUnreadable(error.message);
        return undefined;
      });
      if (!thing) continue;
      const { name, text } = thing;
      const { phone, createdAt, images, parts } = JSON.parse(text) as ManifestHead;
      const bytes = (images ?? parts ?? []).reduce((sum, each) => sum + each.bytes, 0);
      found.push({
        ...{ bench, kind, id, name, bytes, benchName: names.get(bench)! },
        serial: phone.serial,
        nickname: phone.nickname,
        createdAt: Date.parse(createdAt),
      });
    }
    return found.sort((a, b) => b.createdAt - a.createdAt);
  }

  /** Bytes of what of it is to be fetched, as they are stored. */
  sizeOf(thing: OffsiteThing): number {
    return this.packs.storedBytes(this.fetching.missing(thing));
  }

  /** Puts chunks that are damaged on the shelf there anew. @returns those that the bucket does not have */
  async repair(digests: readonly Buffer[]): Promise<Buffer[]> {
    await this.manifests();
    const there = digests.filter((digest) => this.packs.has(digest));
    if (there.length > 0) await this.fetching.fetch(there);
    return digests.filter((digest) => !this.packs.has(digest));
  }

  /** Of what is read back of a set, as it is stored here. */
  bytesToProve(id: string): number {
    return this.storedHere(this.setOf(this.parts.things(), id)?.chunks() ?? []);
  }

  /**
   * Sends what the copy does not have of a set yet, and reads all of it back from there.
   * @throws DamagedImage where it is damaged here, BucketFailure where the copy does not give it as it is
   */
  async prove(id: string, passed: (bytes: number) => void, signal: AbortSignal): Promise<void> {
    const { keeping, packs, sealed } = this;
    const all = this.parts.things();
    const thing = this.setOf(all, id);
    if (!thing) throw new Problem(404, 'There is no such set. It may have been deleted.');
    // At all of it: what the bucket has lost is noticed once, whatever relied on it.
    const { missing } = await keeping.look(all);
    const { left } = await keeping.send(missing.includes(thing) ? [thing] : [], undefined, signal);
    if (left.length > 0) throw new DamagedImage(left.join(' '));
    if (!(await packs.claim(thing.chunks())))
      throw new BucketFailure(`${sealed.bucket.place} is about to lose a part of the set.`);
    for await (const { stored } of packs.read(thing.chunks())) {
      signal.throwIfAborted();
      passed(stored.length);
    }
    const there = await sealed.get(objectNames.manifest(this.parts.bench, 'sets', id));
    if (!isSameSet(there.toString(), await thing.manifest()))
      throw new BucketFailure(`${sealed.bucket.place} does not have the set as it is here.`);
  }

  private setOf(things: readonly KeptThing[], id: string): KeptThing | undefined {
    return things.find((each) => each.kind === 'sets' && each.id === id);
  }

  private storedHere(digests: readonly Buffer[]): number {
    return digests.reduce((sum, digest) => sum + (this.parts.shelf.find(digest)?.storedBytes ?? 0), 0);
  }
}

interface ManifestHead {
  readonly phone: { readonly serial: string; readonly nickname: string };
  readonly createdAt: string;
  readonly images?: readonly { readonly bytes: number }[];
  readonly parts?: readonly { readonly bytes: number }[];
}

export const keyOf = ({ kind, id }: { readonly kind: string; readonly id: string }): string =>
  `${kind}/${id}`;

const isSameSet = (one: string, other: string): boolean =>
  JSON.stringify(parseManifest(one)) === JSON.stringify(parseManifest(other));

/** Undefined where the bucket does not have it. */
export async function nameOfBench(sealed: SealedBucket, bench: string): Promise<string | undefined> {
  const object = objectNames.bench(bench);
  if (!(await hasAny(sealed.bucket, object))) return undefined;
  return (JSON.parse((await sealed.get(object)).toString()) as { name: string }).name;
}
