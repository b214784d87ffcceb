/** An object in a bucket. */
export interface BucketObject {
  readonly name: string;
  readonly bytes: number;
}

/**
 * A store of named objects, as S3-compatible services have it. Nothing else of such a service is relied upon: no conditional writes, no
 * versions, no locks.
 */
export interface Bucket {
  /** In words, for messages. */
  readonly place: string;
  /** Resolves when the service has said that it has all of it, with the checksum that it was sent. @throws BucketFailure */
  put(name: string, bytes: Uint8Array): Promise<void>;
  /** @throws BucketFailure, also where there is no such object */
  get(name: string, range?: { readonly offset: number; readonly bytes: number }): Promise<Buffer>;
  /** All objects whose names begin so. @throws BucketFailure */
  list(prefix: string): AsyncIterable<BucketObject>;
  /** One that is not there is no error. @throws BucketFailure */
  remove(name: string): Promise<void>;
}

/** Objects that a bucket must have, by name, to be of use to somebody. */
export const objectNames = {
  seal: 'seal.json',
  packs: 'packs/',
  pack: (id: string) => `packs/${id}`,
  indexes: 'indexes/',
  index: (id: string) => `indexes/${id}`,
  claims: 'claims/',
  /** That a bench needs a pack. */
  claim: (pack: string, bench: string) => `claims/${pack}/${bench}`,
  tombstones: 'tombstones/',
  /** That a bench is about to remove a pack. */
  tombstone: (pack: string, bench: string) => `tombstones/${pack}/${bench}`,
  benches: 'benches/',
  bench: (bench: string) => `benches/${bench}/bench`,
  manifests: (bench: string) => `benches/${bench}/kept/`,
  manifest: (bench: string, kind: ManifestKind, id: string) => `benches/${bench}/kept/${kind}/${id}`,
} as const;

export const manifestKinds = ['sets', 'copies', 'records'] as const;
export type ManifestKind = (typeof manifestKinds)[number];
