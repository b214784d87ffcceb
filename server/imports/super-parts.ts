import { FormatError } from '@keen-larder/core/bytes/format-error.ts';
import { slice, type ByteSource } from '@keen-larder/core/bytes/source.ts';
import {
  composeSuper,
  logicalSource,
  readLogicalPartitions,
  type Composed,
  type LogicalLayout,
  type LogicalPartitions,
} from '@keen-larder/core/formats/logical-partitions/logical-partitions.ts';
import { sourceBytes } from '../formats/file-source.ts';
import { imageSource } from '../larder/inside/image-source.ts';
import type { Larder } from '../larder/larder.ts';

/** A phone's `super` as it was last kept: its table says where logical partitions go. */
export interface SuperBase {
  /** Of the set that it is taken from. */
  readonly label: string;
  readonly source: ByteSource;
  readonly table: LogicalPartitions;
}

/** By the image's digest and the slot: what is on the shelf does not change. */
const tables = new WeakMap<Larder, Map<string, LogicalPartitions | undefined>>();

/**
 * The newest whole image of a phone's `super` in the larder.
 * @param slot which slot's table counts
 */
export async function superBase(
  larder: Larder,
  serial: string,
  slot: 'a' | 'b' | undefined,
): Promise<SuperBase | undefined> {
  const kept = larder.newestWhole(serial, 'super');
  if (!kept) return undefined;
  const source = imageSource(larder.shelf, kept.image);
  const known = tables.get(larder) ?? new Map<string, LogicalPartitions | undefined>();
  tables.set(larder, known);
  const key = `${kept.image.sha256.toString('hex')} ${slot}`;
  if (!known.has(key)) known.set(key, await tableOf(source, slot));
  const table = known.get(key);
  return table && { label: kept.label, source, table };
}

async function tableOf(
  source: ByteSource,
  slot: 'a' | 'b' | undefined,
): Promise<LogicalPartitions | undefined> {
  try {
    const first = await readLogicalPartitions(source);
    return slot === 'b' && first.metadataSlots > 1 ? await readLogicalPartitions(source, 1) : first;
  } catch (error) {
    if (!(error instanceof FormatError)) throw error;
    return undefined;
  }
}

/** What comes into `super`: an image's size and its bytes. */
export interface SuperPart {
  readonly name: string;
  readonly bytes: number;
  image(): Promise<AsyncIterable<Uint8Array>>;
}

/** A `super` of which some logical partitions are new and the others as they were kept. */
export function layOutSuper(base: SuperBase, parts: readonly SuperPart[]): Composed {
  return composeSuper(base.table, new Map(parts.map(({ name, bytes }) => [name, bytes])));
}

const zeros = new Uint8Array(1 << 20);

/** The bytes of such a `super` from first to last. @throws Error when a part is longer than it said */
export async function* superImage(
  base: SuperBase,
  parts: readonly SuperPart[],
  { superBytes, layout }: { readonly superBytes: number; readonly layout: LogicalLayout },
): AsyncGenerator<Uint8Array> {
  let at = 0;
  function* zerosUpTo(end: number) {
    while (at < end) {
      const piece = zeros.subarray(0, Math.min(zeros.length, end - at));
      at += piece.length;
      yield piece;
    }
  }
  for (const { offset, bytes } of layout.pieces) {
    yield* zerosUpTo(offset);
    at += bytes.length;
    yield bytes;
  }
  for (const { name, offset, bytes } of layout.places) {
    if (bytes === 0) continue;
    yield* zerosUpTo(offset);
    const part = parts.find((each) => each.name === name);
    for await (const piece of part ? await part.image() : keptPart(base, name)) {
      at += piece.length;
      if (at > offset + bytes)
        throw new Error(`${name} has more than the ${part?.bytes ?? bytes} bytes it said`);
      yield piece;
    }
    yield* zerosUpTo(offset + bytes);
  }
  yield* zerosUpTo(superBytes);
}

function keptPart({ source, table }: SuperBase, name: string): AsyncIterable<Uint8Array> {
  const partition = table.partitions.find((each) => each.name === name)!;
  return sourceBytes(logicalSource(partition, [slice(source, 0, source.bytes)]));
}
