import { utf8 } from '../../../bytes/text.ts';
import { viewOf } from '../../../bytes/layout.ts';
import { BuildError, type NewDirectory, type NewFile } from '../../file-system/building.ts';
import { blockBytes, directoryEntryBytes, entriesPerBlock, nameSlotBytes } from '../layouts.ts';

/** As directories have them (F2FS_FT_REG_FILE and others). */
const entryTypes: Record<NewFile['type'], number> = { file: 1, directory: 2, link: 7 };
const bitmapBytes = Math.ceil(entriesPerBlock / 8);
const entriesAt = bitmapBytes + 3;
const namesAt = entriesAt + entriesPerBlock * directoryEntryBytes;
/** Tables above this one have four blocks in each bucket, and no more buckets (MAX_DIR_HASH_DEPTH). */
const deepest = 63;

const bucketsOf = (level: number) => 2 ** Math.min(level, 30);
const blocksOf = (level: number) => (level < Math.floor(deepest / 2) ? 2 : 4);

/** A directory's blocks by their places in it; those between are holes. */
export interface DirectoryBlocks {
  readonly blocks: ReadonlyMap<number, Uint8Array>;
  /** Levels of tables in use. */
  readonly depth: number;
}

/** Enters names by their hashes, each into the first table that has room in its bucket (fs/f2fs/dir.c). */
export function blocksOfDirectory({ number, parent, entries }: NewDirectory): DirectoryBlocks {
  const blocks = new Map<number, Uint8Array>();
  let depth = 1;
  const enter = (name: Uint8Array, hash: number, inode: number, type: number): void => {
    for (let [level, first] = [0, 0]; level < deepest; level++) {
      const bucket = first + (hash % bucketsOf(level)) * blocksOf(level);
      for (let i = 0; i < blocksOf(level); i++) {
        const block = blocks.get(bucket + i) ?? new Uint8Array(blockBytes);
        if (!put(block, name, hash, inode, type)) continue;
        blocks.set(bucket + i, block);
        depth = Math.max(depth, level + 1);
        return;
      }
      first += bucketsOf(level) * blocksOf(level);
    }
    throw new BuildError('a directory has too many names');
  };
  enter(utf8('.'), 0, number, entryTypes.directory);
  enter(utf8('..'), 0, parent, entryTypes.directory);
  for (const each of entries) {
    const name = utf8(each.name);
    enter(name, nameHash(name), each.number, entryTypes[each.type]);
  }
  return { blocks, depth };
}

/** @returns false where the block has no room for it */
function put(block: Uint8Array, name: Uint8Array, hash: number, inode: number, type: number): boolean {
  const slots = Math.ceil(name.length / nameSlotBytes);
  const isFree = (place: number) => ((block[place >> 3]! >> (place & 7)) & 1) === 0;
  for (let place = 0; place + slots <= entriesPerBlock; place++) {
    let free = 0;
    while (free < slots && isFree(place + free)) free++;
    if (free < slots) continue;
    for (let i = 0; i < slots; i++) block[(place + i) >> 3]! |= 1 << ((place + i) & 7);
    const view = viewOf(block);
    const at = entriesAt + place * directoryEntryBytes;
    view.setUint32(at, hash, true);
    view.setUint32(at + 4, inode, true);
    view.setUint16(at + 8, name.length, true);
    view.setUint8(at + 10, type);
    block.set(name, namesAt + place * nameSlotBytes);
    return true;
  }
  return false;
}

const initial = [0x67452301, 0xefcdab89, 0x98badcfe, 0x10325476] as const;
const delta = 0x9e3779b9;
const rounds = 16;

/** Of a name (fs/f2fs/hash.c): sixteen bytes at a time through TEA. */
export function nameHash(name: Uint8Array): number {
  let [a, b]: [number, number] = [initial[0], initial[1]];
  for (let at = 0; ; at += 16) {
    const words = wordsOf(name.subarray(at));
    let [x, y, sum] = [a, b, 0];
    for (let i = 0; i < rounds; i++) {
      sum = (sum + delta) >>> 0;
      x = (x + (((y << 4) + words[0]!) ^ (y + sum) ^ ((y >>> 5) + words[1]!))) >>> 0;
      y = (y + (((x << 4) + words[2]!) ^ (x + sum) ^ ((x >>> 5) + words[3]!))) >>> 0;
    }
    [a, b] = [(a + x) >>> 0, (b + y) >>> 0];
    if (name.length - at <= 16) return a;
  }
}

/** Four words of a name, what is missing filled up with how long it is. */
function wordsOf(rest: Uint8Array): Uint32Array {
  const words = new Uint32Array(4);
  const twice = (rest.length | (rest.length << 8)) >>> 0;
  const padding = (twice | (twice << 16)) >>> 0;
  const length = Math.min(rest.length, 16);
  let [value, word] = [padding, 0];
  for (let i = 0; i < length; i++) {
    if (i % 4 === 0) value = padding;
    value = (rest[i]! + (value << 8)) >>> 0;
    if (i % 4 !== 3) continue;
    words[word++] = value;
    value = padding;
  }
  if (word < 4) words[word++] = value;
  while (word < 4) words[word++] = padding;
  return words;
}
