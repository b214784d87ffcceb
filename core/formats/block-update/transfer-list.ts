import { FormatError } from '../../bytes/format-error.ts';

// AOSP, bootable/recovery, updater/blockimg.cpp and README ("Transfer list"): lines of a version, a count of blocks, from
// version 2 on two of what must be kept aside, then commands.

const format = 'transfer list';
const newestVersion = 4;
const mostLines = 1_000_000;
export const blockBytes = 4096;

/** Blocks, the end left out. */
export interface BlockRange {
  readonly start: number;
  readonly end: number;
}

export interface TransferList {
  readonly version: number;
  /** Blocks that its commands write. */
  readonly writtenBlocks: number;
  /** Blocks that come from the data, in its order. */
  readonly fresh: readonly BlockRange[];
  /** Blocks after the last that it speaks of. */
  readonly blocks: number;
  /** A command that needs what is installed; undefined where the list is whole by itself. */
  readonly needsOld: string | undefined;
}

const needingOld = ['move', 'bsdiff', 'imgdiff', 'stash'];

/** @throws FormatError when it is none */
export function readTransferList(text: string): TransferList {
  const lines = text.split('\n').map((line) => line.trim());
  const bad = (line: number, reason: string) => new FormatError(format, `line ${line + 1}`, 0, reason);
  if (lines.length > mostLines) throw bad(mostLines, 'it has no end');
  const version = wholeOf(lines[0]);
  if (version === undefined || version < 1 || version > newestVersion)
    throw bad(0, `version “${lines[0]}” is not read here`);
  const writtenBlocks = wholeOf(lines[1]);
  if (writtenBlocks === undefined) throw bad(1, 'no count of blocks');
  const fresh: BlockRange[] = [];
  let blocks = 0;
  let needsOld: string | undefined;
  for (const [i, line] of lines.entries()) {
    if (i < (version >= 2 ? 4 : 2) || line === '') continue;
    const [command, ranges] = line.split(' ');
    if (command === 'new' || command === 'zero' || command === 'erase') {
      const found = rangesOf(ranges ?? '');
      if (!found) throw bad(i, `no blocks for ${command}`);
      for (const range of found) blocks = Math.max(blocks, range.end);
      if (command === 'new') fresh.push(...found);
    } else if (needingOld.includes(command!)) needsOld ??= command;
    else if (command !== 'free' && command !== 'compute_hash_tree') throw bad(i, `“${command}” is not known`);
  }
  return { version, writtenBlocks, fresh, blocks, needsOld };
}

const wholeOf = (text: string | undefined): number | undefined =>
  text !== undefined && /^\d{1,12}$/.test(text) ? Number(text) : undefined;

/** `4,0,10,20,30` is two ranges: a count of numbers, then beginnings and ends. */
function rangesOf(text: string): BlockRange[] | undefined {
  const numbers = text.split(',').map(wholeOf);
  const [count, ...rest] = numbers;
  if (rest.length === 0 || count !== rest.length || rest.length % 2 || numbers.includes(undefined))
    return undefined;
  const found: BlockRange[] = [];
  for (let i = 0; i < rest.length; i += 2) {
    const range = { start: rest[i]!, end: rest[i + 1]! };
    if (range.start >= range.end) return undefined;
    found.push(range);
  }
  return found;
}

/**
 * Where blocks come from in the data that goes along, ascending; what is not there is zeros.
 * @throws FormatError where a block is written twice
 */
export function freshExtents({ fresh }: TransferList): { at: number; bytes: number; offset: number }[] {
  let offset = 0;
  const extents = fresh.map(({ start, end }) => {
    const extent = { at: start * blockBytes, bytes: (end - start) * blockBytes, offset };
    offset += extent.bytes;
    return extent;
  });
  extents.sort((a, b) => a.at - b.at);
  for (const [i, { at }] of extents.entries()) {
    const before = extents[i - 1];
    if (before && before.at + before.bytes > at)
      throw new FormatError(format, 'new', 0, `block ${at / blockBytes} is written twice`);
  }
  return extents;
}
