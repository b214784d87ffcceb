import { createHash } from 'node:crypto';
import type {
  ComparedFile,
  FileComparison,
  FileDifference,
  FileState,
} from '@keen-larder/contract/comparing.ts';
import type { ByteRange } from '@keen-larder/core/bytes/ranges.ts';
import { differingEntries, type EntryDifference } from '@keen-larder/core/larder/comparing/files.ts';
import type { FileTree, TreeFile } from '../inside/file-trees.ts';
import { DifferingBlocks, type ReadableImage } from './differing-blocks.ts';

/** A tree, and where its bytes lie in an image. */
interface PlacedTree {
  readonly tree: FileTree;
  /** A range of the tree's source in the image. */
  toImage(range: ByteRange): readonly ByteRange[];
}

/** A tree in an image of the shelf. */
export interface ComparedTree extends PlacedTree, ReadableImage {}

/** A tree on a phone. */
export interface PhoneTree extends PlacedTree {
  /** Whether some ranges are known to be on the phone as they are in the image that it is compared with. */
  isUntouched(ranges: readonly ByteRange[]): boolean;
}

const mostDifferences = 5000;
/** Of a file system. */
const mostBlockBytes = 65_536;
/** So much is read to find content that lies elsewhere now. */
const mostReadElsewhere = 1 << 30;

/** What differs between two trees, by file. @param found everything that does */
export async function compareTrees(found: readonly EntryDifference<TreeFile>[]): Promise<FileComparison> {
  const from = await foundElsewhere(found);
  const isFrom = new Set(from.values());
  const differences = found
    .filter(({ path, after: is }) => is !== undefined || !isFrom.has(path))
    .map((each) => differenceOf(each, from.get(each.path)));
  const counts: Record<FileState, number> = { added: 0, gone: 0, changed: 0, elsewhere: 0 };
  for (const { state } of differences) counts[state]++;
  return {
    differences: differences.slice(0, mostDifferences),
    counts,
    onlyTime: differences.filter(({ changes }) => changes.length === 1 && changes[0] === 'time').length,
    isCut: differences.length > mostDifferences,
  };
}

/**
 * Everything that differs between two trees, in the order of `walkOrder`. Contents are read only where the names of their chunks do
 * not tell.
 */
export async function entriesThatDiffer(
  before: ComparedTree,
  after: ComparedTree | PhoneTree,
): Promise<EntryDifference<TreeFile>[]> {
  const blocks =
    'image' in after && before.image.chunkBytes === after.image.chunkBytes
      ? new DifferingBlocks(before, after)
      : undefined;
  const contents = { isSame: (a: TreeFile, b: TreeFile) => isSameContent(before, a, after, b, blocks) };
  const found: EntryDifference<TreeFile>[] = [];
  for await (const each of differingEntries(before.tree.walk(), after.tree.walk(), contents))
    found.push(each);
  return found;
}

function differenceOf(
  { path, before, after, changes }: EntryDifference<TreeFile>,
  from: string | undefined,
): FileDifference {
  const state = from !== undefined ? 'elsewhere' : !before ? 'added' : !after ? 'gone' : 'changed';
  return { path, state, from, changes, before: before && sideOf(before), after: after && sideOf(after) };
}

const sideOf = ({
  kind,
  bytes,
  mode,
  uid,
  gid,
  modifiedAt,
  linkTarget,
  label,
  fault,
}: TreeFile): ComparedFile => ({ kind, bytes, mode, uid, gid, modifiedAt, linkTarget, label, fault });

/** Of files of the same size. */
async function isSameContent(
  before: ComparedTree,
  a: TreeFile,
  after: ComparedTree | PhoneTree,
  b: TreeFile,
  blocks: DifferingBlocks | undefined,
): Promise<boolean> {
  const [where, elsewhere] = await Promise.all([placesOf(before, a), placesOf(after, b)]);
  if (where && elsewhere && areSamePlaces(where, elsewhere)) {
    if (!blocks) {
      if ('isUntouched' in after && after.isUntouched(where)) return true;
    } else {
      const at = await firstDifference(where, blocks);
      if (at === undefined) return true;
      // What lies behind the end of a file, in its last block, is not of it.
      if (!isLastBlock(where, at)) return false;
    }
  }
  return isSameBytes(a.content(), b.content());
}

async function firstDifference(
  where: readonly ByteRange[],
  blocks: DifferingBlocks,
): Promise<number | undefined> {
  for (const range of where) {
    const at = await blocks.firstIn(range);
    if (at !== undefined) return at;
  }
  return undefined;
}

function isLastBlock(where: readonly ByteRange[], at: number): boolean {
  const { offset, bytes } = where.at(-1)!;
  return at >= offset && at >= offset + bytes - mostBlockBytes;
}

async function placesOf({ toImage }: PlacedTree, file: TreeFile): Promise<readonly ByteRange[] | undefined> {
  return (await file.places())?.flatMap(toImage);
}

const areSamePlaces = (a: readonly ByteRange[], b: readonly ByteRange[]): boolean =>
  a.length === b.length &&
  a.every(({ offset, bytes }, i) => offset === b[i]!.offset && bytes === b[i]!.bytes);

async function isSameBytes(a: AsyncIterable<Uint8Array>, b: AsyncIterable<Uint8Array>): Promise<boolean> {
  const others = b[Symbol.asyncIterator]();
  let rest: Uint8Array = new Uint8Array(0);
  try {
    for await (const part of a) {
      for (let at = 0; at < part.length;) {
        if (rest.length === 0) {
          const next = await others.next();
          if (next.done) return false;
          rest = next.value;
          continue;
        }
        const bytes = Math.min(rest.length, part.length - at);
        if (!Buffer.from(part.buffer, part.byteOffset + at, bytes).equals(rest.subarray(0, bytes)))
          return false;
        at += bytes;
        rest = rest.subarray(bytes);
      }
    }
    return true;
  } finally {
    await others.return?.();
  }
}

/** Files that came and have the content of one that is gone: by their path, where that content was. */
async function foundElsewhere(
  found: readonly EntryDifference<TreeFile>[],
): Promise<ReadonlyMap<string, string>> {
  const filesOf = (side: 'before' | 'after') =>
    found.flatMap((each) => {
      const other = side === 'before' ? each.after : each.before;
      const file = each[side];
      return !other && file?.kind === 'file' && file.bytes > 0 && file.fault === undefined ? [file] : [];
    });
  const gone = new Map<number, TreeFile[]>();
  for (const file of filesOf('before')) gone.set(file.bytes, [...(gone.get(file.bytes) ?? []), file]);
  const from = new Map<string, string>();
  const digests = new Map<TreeFile, string>();
  let read = 0;
  const digestOf = async (file: TreeFile) => {
    const known = digests.get(file);
    if (known !== undefined) return known;
    const hash = createHash('sha256');
    for await (const part of file.content()) hash.update(part);
    read += file.bytes;
    const digest = hash.digest('hex');
    digests.set(file, digest);
    return digest;
  };
  for (const file of filesOf('after')) {
    const candidates = gone.get(file.bytes) ?? [];
    if (candidates.length === 0 || read + 2 * file.bytes > mostReadElsewhere) continue;
    const digest = await digestOf(file);
    for (const [i, candidate] of candidates.entries()) {
      if ((await digestOf(candidate)) !== digest) continue;
      from.set(file.path, candidate.path);
      candidates.splice(i, 1);
      break;
    }
  }
  return from;
}
