import { Problem } from '../failures.ts';
import { parseSeal, type Seal } from '../sealing/seal-key.ts';
import { manifestKinds, objectNames, type Bucket, type ManifestKind } from './bucket.ts';

/** What a bucket has, by the names of its objects. */
export interface BucketState {
  /** Sizes of packs, by id. */
  readonly packs: ReadonlyMap<string, number>;
  readonly indexes: ReadonlySet<string>;
  /** Benches that need a pack, by its id. */
  readonly claims: ReadonlyMap<string, ReadonlySet<string>>;
  /** Benches that are about to remove a pack, by its id. */
  readonly tombstones: ReadonlyMap<string, ReadonlySet<string>>;
  /** Of each bench, what is kept. */
  readonly kept: readonly (OffsiteManifest & { readonly bytes: number })[];
}

export interface OffsiteManifest {
  readonly bench: string;
  readonly kind: ManifestKind;
  readonly id: string;
}

async function idsOf(bucket: Bucket, prefix: string): Promise<Set<string>> {
  const ids = new Set<string>();
  for await (const { name } of bucket.list(prefix)) ids.add(name.slice(prefix.length));
  return ids;
}

/**
 * Lists what a bucket has. Tombstones come last: a pack that is listed and has none by then was there when they were looked for.
 * @throws BucketFailure
 */
export async function readState(bucket: Bucket): Promise<BucketState> {
  const kept: BucketState['kept'][number][] = [];
  for await (const { name, bytes } of bucket.list(objectNames.benches)) {
    const [, bench, , kind, id] = name.split('/');
    if (bench && id && manifestKinds.includes(kind as ManifestKind))
      kept.push({ bench, kind: kind as ManifestKind, id, bytes });
  }
  const packs = new Map<string, number>();
  for await (const { name, bytes } of bucket.list(objectNames.packs))
    packs.set(name.slice(objectNames.packs.length), bytes);
  const indexes = await idsOf(bucket, objectNames.indexes);
  const claims = await benchesByPack(bucket, objectNames.claims);
  return { packs, indexes, claims, tombstones: await benchesByPack(bucket, objectNames.tombstones), kept };
}

async function benchesByPack(bucket: Bucket, prefix: string): Promise<Map<string, Set<string>>> {
  const found = new Map<string, Set<string>>();
  for (const each of await idsOf(bucket, prefix)) {
    const [pack, bench] = each.split('/');
    if (pack && bench) found.set(pack, (found.get(pack) ?? new Set()).add(bench));
  }
  return found;
}

/** Whether there is any object whose name begins so. @throws BucketFailure */
export async function hasAny(bucket: Bucket, prefix: string): Promise<boolean> {
  for await (const found of bucket.list(prefix)) if (found) return true;
  return false;
}

/** The bucket's seal; undefined where it is new. @throws Problem 422 where it has something else */
export async function sealIn(bucket: Bucket): Promise<Seal | undefined> {
  if (await hasAny(bucket, objectNames.seal))
    return parseSeal((await bucket.get(objectNames.seal)).toString());
  if (!(await hasAny(bucket, ''))) return undefined;
  throw new Problem(
    422,
    `${bucket.place} has other things in it, and no seal of Keen Larder. Name an empty one, or a folder of its own within it.`,
  );
}

export const sealText = (seal: Seal): Buffer => Buffer.from(`${JSON.stringify(seal, null, 2)}\n`);
