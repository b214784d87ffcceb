import { FormatError } from '../../bytes/format-error.ts';
import type { F2fsInode } from './inode.ts';
import { addressesPerNode, blockBytes, compressedAddress, newAddress, nullAddress } from './layouts.ts';

/** Reads a node's block by its number. @param expected inode that it belongs to */
export type ReadNode = (number: number, expected: number) => Promise<DataView>;

/** Larger than what the addresses of one inode can reach is damaged (fs/f2fs/super.c, max_file_blocks). */
const levels = [1, 1, 2, 2, 3] as const;

/**
 * Addresses of a file's blocks, from the first one on, as far as its size goes; holes are zero.
 * @throws FormatError when its size or a node says what cannot be
 */
export async function addressesOf(file: F2fsInode, readNode: ReadNode): Promise<Uint32Array> {
  const perNode = file.compression
    ? addressesPerNode - (addressesPerNode % file.compression.clusterBlocks)
    : addressesPerNode;
  const spans = [perNode, perNode * addressesPerNode, perNode * addressesPerNode ** 2];
  const reach = file.addresses.length + 2 * spans[0]! + 2 * spans[1]! + spans[2]!;
  const cluster = file.compression?.clusterBlocks ?? 1;
  const wanted = Math.ceil(Math.ceil(file.bytes / blockBytes) / cluster) * cluster;
  if (wanted > reach) throw bad(file, 'i_size', `${file.bytes} bytes, more than its nodes reach`);
  const found = new Addresses(wanted);
  found.add(0, file.addresses);
  const seen = new Set<number>();
  const walk = async (node: number, level: number, first: number): Promise<void> => {
    if (node === 0 || first >= wanted) return;
    if (seen.has(node)) throw bad(file, 'i_nid', `node ${node} is used twice`);
    seen.add(node);
    const view = await readNode(node, file.number);
    if (level === 1) {
      found.add(
        first,
        Array.from({ length: perNode }, (_, i) => view.getUint32(i * 4, true)),
      );
      return;
    }
    const span = spans[level - 2]!;
    for (let i = 0; i < addressesPerNode && first + i * span < wanted; i++)
      await walk(view.getUint32(i * 4, true), level - 1, first + i * span);
  };
  let first = file.addresses.length;
  for (const [i, level] of levels.entries()) {
    await walk(file.nodes[i]!, level, first);
    first += spans[level - 1]!;
  }
  return found.all();
}

/** As many as were found, and zeros up to what is asked for: a file of holes takes no memory. */
class Addresses {
  private readonly parts: { readonly first: number; readonly addresses: readonly number[] }[] = [];
  private end = 0;

  constructor(private readonly wanted: number) {}

  add(first: number, addresses: readonly number[]): void {
    if (first >= this.wanted || addresses.every((address) => address === nullAddress)) return;
    const some = addresses.slice(0, this.wanted - first);
    this.parts.push({ first, addresses: some });
    this.end = Math.max(this.end, first + some.length);
  }

  all(): Uint32Array {
    const all = new Uint32Array(this.end);
    for (const { first, addresses } of this.parts) all.set(addresses, first);
    return all;
  }
}

/** Blocks that follow one another, in the file and on the disk. */
export interface BlockRun {
  readonly fileBlock: number;
  readonly diskBlock: number;
  readonly blocks: number;
}

/** @throws FormatError for an address that lies outside the area of `[first, end)` */
export function runsOf(
  file: F2fsInode,
  addresses: Uint32Array,
  { first, end }: { readonly first: number; readonly end: number },
): BlockRun[] {
  const runs: { fileBlock: number; diskBlock: number; blocks: number }[] = [];
  for (const [i, address] of addresses.entries()) {
    if (address === nullAddress || address === newAddress) continue;
    if (address === compressedAddress) throw bad(file, 'i_addr', `block ${i} is compressed, the file is not`);
    if (address < first || address >= end) throw bad(file, 'i_addr', `block ${address} lies outside`);
    const last = runs.at(-1);
    if (last && last.fileBlock + last.blocks === i && last.diskBlock + last.blocks === address) last.blocks++;
    else runs.push({ fileBlock: i, diskBlock: address, blocks: 1 });
  }
  return runs;
}

const bad = (file: F2fsInode, field: string, reason: string) =>
  new FormatError('f2fs', field, file.offset, `inode ${file.number}: ${reason}`);
