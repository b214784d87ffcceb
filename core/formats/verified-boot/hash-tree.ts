import { FormatError } from '../../bytes/format-error.ts';
import { hashing, type HashName } from '../../bytes/hashing.ts';
import { readWithin, type ByteSource } from '../../bytes/source.ts';
import { hex } from '../../bytes/text.ts';
import type { HashtreeDescriptor } from './descriptors.ts';

/** What came of a tree of digests. */
export interface TreeVerdict {
  /** The partition's contents lead to the root digest that is signed. */
  readonly matches: boolean;
  /** First block of which the digest is another one than its tree has, where the tree itself leads to the root. */
  readonly firstDamaged?: number;
}

const known: readonly string[] = ['sha256', 'sha512'];
/** Blocks that are read at once. */
const blocksAtOnce = 256;
const mostBlocks = 1 << 28;

/**
 * Holds a file system against the tree of digests over it (dm-verity; kernel, Documentation/admin-guide/device-mapper/verity):
 * digests of its blocks, of blocks of those, and so on up to the one that is signed. The image proves itself, without its phone.
 * @returns undefined where the digest is of a kind that is not computed here
 * @throws FormatError where the image is shorter than its descriptor says
 */
export async function checkHashTree(
  descriptor: HashtreeDescriptor,
  source: ByteSource,
): Promise<TreeVerdict | undefined> {
  const { algorithm, imageBytes, dataBlockBytes, hashBlockBytes, salt, rootDigest } = descriptor;
  if (!known.includes(algorithm)) return undefined;
  const bad = (field: string, reason: string) => new FormatError('verified-boot', field, 0, reason);
  for (const [field, bytes] of [
    ['dataBlockBytes', dataBlockBytes],
    ['hashBlockBytes', hashBlockBytes],
  ] as const)
    if (bytes < 512 || bytes > 65_536 || (bytes & (bytes - 1)) !== 0) throw bad(field, `${bytes}`);
  if (imageBytes % dataBlockBytes !== 0 || imageBytes / dataBlockBytes > mostBlocks)
    throw bad('imageBytes', `${imageBytes}`);
  const digestOf = (block: Uint8Array) =>
    hashing(algorithm as HashName)
      .update(salt)
      .update(block)
      .digest();
  // Digests stand at powers of two.
  const slot = 2 ** Math.ceil(Math.log2(rootDigest.length));
  const perBlock = hashBlockBytes / slot;

  let level = await digestsOf(source, 0, imageBytes, dataBlockBytes, digestOf);
  const leaves = level;
  while (level.length > 1) level = packed(level, slot, perBlock, hashBlockBytes).map(digestOf);
  const root =
    level.length === 1 && leaves.length > 1 ? level[0]! : onlyBlock(leaves, slot, hashBlockBytes, digestOf);
  if (hex(root) === hex(rootDigest)) return { matches: true };
  const firstDamaged = await firstOther(descriptor, source, leaves, slot, perBlock);
  return { matches: false, ...(firstDamaged !== undefined && { firstDamaged }) };
}

/** A tree over a single block still has a block of digests. */
const onlyBlock = (
  leaves: readonly Uint8Array[],
  slot: number,
  hashBlockBytes: number,
  digestOf: (block: Uint8Array) => Uint8Array,
): Uint8Array => digestOf(packed(leaves, slot, 1, hashBlockBytes)[0] ?? new Uint8Array(hashBlockBytes));

async function digestsOf(
  source: ByteSource,
  from: number,
  bytes: number,
  blockBytes: number,
  digestOf: (block: Uint8Array) => Uint8Array,
): Promise<Uint8Array[]> {
  const found: Uint8Array[] = [];
  const piece = blockBytes * blocksAtOnce;
  for (let at = 0; at < bytes; at += piece) {
    const part = await readWithin(
      source,
      from + at,
      Math.min(piece, bytes - at),
      'verified-boot',
      'imageBytes',
    );
    for (let block = 0; block < part.length; block += blockBytes)
      found.push(digestOf(part.subarray(block, block + blockBytes)));
  }
  return found;
}

/** Blocks of digests, the last one filled up with zeros. */
function packed(
  digests: readonly Uint8Array[],
  slot: number,
  perBlock: number,
  hashBlockBytes: number,
): Uint8Array[] {
  const blocks: Uint8Array[] = [];
  for (let at = 0; at < digests.length; at += perBlock) {
    const block = new Uint8Array(hashBlockBytes);
    for (const [i, digest] of digests.slice(at, at + perBlock).entries()) block.set(digest, i * slot);
    blocks.push(block);
  }
  return blocks;
}

/** The stored tree has its lowest level last. */
async function firstOther(
  { treeOffset, treeBytes, hashBlockBytes }: HashtreeDescriptor,
  source: ByteSource,
  leaves: readonly Uint8Array[],
  slot: number,
  perBlock: number,
): Promise<number | undefined> {
  const blocks = Math.ceil(leaves.length / perBlock);
  const start = treeOffset + treeBytes - blocks * hashBlockBytes;
  if (start < treeOffset || start + blocks * hashBlockBytes > source.bytes) return undefined;
  for (let i = 0; i < blocks; i++) {
    const stored = await source.read(start + i * hashBlockBytes, hashBlockBytes);
    for (const [n, digest] of leaves.slice(i * perBlock, (i + 1) * perBlock).entries())
      if (hex(stored.subarray(n * slot, n * slot + digest.length)) !== hex(digest)) return i * perBlock + n;
  }
  return undefined;
}
