import type { ByteRange } from '@keen-larder/core/bytes/ranges.ts';
import type { Condition, NamedPhone } from '@keen-larder/core/phone/facts.ts';
import type { PhoneMode } from '@keen-larder/core/phone/modes.ts';
import type { ProofWay } from '@keen-larder/core/phone/proof-ways.ts';
import type { Role } from '@keen-larder/core/phone/roles.ts';
import { hex } from '@keen-larder/core/bytes/text.ts';
import { digestBytes, zeroDigest } from './packs/pack-format.ts';

export const manifestFormat = 'keen-larder-set';
export const manifestVersion = 1;

/** A finished set as it is written beside the packs; see docs/shelf-format.md. */
export interface Manifest {
  readonly format: typeof manifestFormat;
  readonly version: typeof manifestVersion;
  readonly id: string;
  readonly label: string;
  readonly note: string;
  /** Whose it is; of firmware see `ownerOfFirmware`. */
  readonly phone: NamedPhone;
  /** In which it was read; left out where files came without saying so. */
  readonly mode?: PhoneMode;
  readonly condition: Condition;
  /** ISO 8601, UTC. */
  readonly createdAt: string;
  readonly elapsedMs: number;
  readonly addedBytes: number;
  /** `imported` when it came as files, `firmware` when these are of a model and not of one phone; left out when it was read from the phone. */
  readonly origin?: 'imported' | 'firmware';
  /** When it was put into the bin, ISO 8601, UTC; left out when it is not there. */
  readonly binnedAt?: string;
  /** It is pinned; left out where it is not. */
  readonly pinned?: true;
  /** The operator who kept it; left out where nobody had signed in. */
  readonly by?: string;
  readonly images: readonly ManifestImage[];
}

export interface ManifestImage {
  readonly partition: string;
  /** An archive is a tar stream of files; left out of a block image. */
  readonly kind?: 'archive';
  readonly role: Role;
  readonly bytes: number;
  readonly chunkBytes: number;
  readonly sha256: string;
  readonly fileSystem?: string;
  readonly usedBytes?: number;
  /** What was read, when it was not everything; the digest covers these bytes alone, and the rest is zeros. */
  readonly ranges?: readonly ByteRange[];
  /** What the phone did not give the same way twice, or not at all. */
  readonly unsettled?: readonly ByteRange[];
  /** How the phone proved it; left out where that is not known, as of what came as files. */
  readonly proof?: ProofWay;
  /** Chunk digests in order; `0` is a chunk of zeros. */
  readonly chunks: readonly string[];
}

/** A chunk list as the catalogue holds it, from the manifest's. */
export function packChunkList(chunks: readonly string[]): Buffer {
  return Buffer.concat(chunks.map((each) => (each === '0' ? zeroDigest : Buffer.from(each, 'hex'))));
}

/** A chunk list as the manifest holds it, from the catalogue's. */
export function unpackChunkList(chunks: Buffer): string[] {
  return digestsOf(chunks).map((digest) => (digest ? hex(digest) : '0'));
}

/** The digests of a chunk list, undefined where the chunk is zeros. */
export function digestsOf(chunks: Buffer): (Buffer | undefined)[] {
  const found: (Buffer | undefined)[] = [];
  for (let at = 0; at < chunks.length; at += digestBytes) {
    const digest = chunks.subarray(at, at + digestBytes);
    found.push(digest.equals(zeroDigest) ? undefined : digest);
  }
  return found;
}

/** The digests of some chunk lists, each once, those of zeros left out. */
export function distinctDigests(lists: Iterable<Buffer>): Buffer[] {
  const found = new Map<string, Buffer>();
  for (const list of lists)
    for (const digest of digestsOf(list)) if (digest) found.set(digest.toString('latin1'), digest);
  return [...found.values()];
}

/** As JSON has them, whatever they were to be. */
const isList = <T>(value: readonly T[] | undefined): value is readonly T[] => Array.isArray(value);

/** Parses a manifest file. @throws Error saying what is wrong with it */
export function parseManifest(text: string): Manifest {
  const value = JSON.parse(text) as Partial<Manifest>;
  if (value.format !== manifestFormat) throw new Error('it is not a manifest of a set');
  if (value.version !== manifestVersion) {
    throw new Error(`it has version ${String(value.version)}; this program reads version ${manifestVersion}`);
  }
  if (!value.id || !value.label || !value.phone?.serial || !value.createdAt || !isList(value.images)) {
    throw new Error('fields are missing');
  }
  for (const image of value.images) {
    const expected = Math.ceil(image.bytes / image.chunkBytes);
    if (!isList(image.chunks) || image.chunks.length !== expected) {
      throw new Error(`the image of ${image.partition} does not list ${expected} chunks`);
    }
    for (const range of [...(image.ranges ?? []), ...(image.unsettled ?? [])]) {
      if (!(range.offset >= 0 && range.bytes > 0 && range.offset + range.bytes <= image.bytes)) {
        throw new Error(`the image of ${image.partition} names bytes that it does not have`);
      }
    }
    if (!image.chunks.every((chunk) => /^(?:0|[0-9a-f]{64})$/.test(chunk))) {
      throw new Error(`the image of ${image.partition} lists something that is not a chunk`);
    }
  }
  return value as Manifest;
}
