import type { ByteRange } from '@keen-larder/core/bytes/ranges.ts';
import type { GptRegion } from '@keen-larder/core/formats/gpt/gpt.ts';

/** Where a partition's bytes lie: on a node of their own, or in a stretch of a disk that no partition has. */
export interface Place {
  readonly node: string;
  readonly region?: GptRegion;
  /** Of a logical partition, in its order; it has no other bytes. */
  readonly extents?: readonly ByteRange[];
}

export type TablePlace = Place & { readonly region: GptRegion };
export type LogicalPlace = Place & { readonly extents: readonly ByteRange[] };

/** Where ranges of a partition lie on its node, one after the other. */
export function onNode({ region, extents }: Place, ranges: readonly ByteRange[]): ByteRange[] {
  if (!extents) return ranges.map(({ offset, bytes }) => ({ offset: (region?.offset ?? 0) + offset, bytes }));
  const found: ByteRange[] = [];
  for (const { offset, bytes } of ranges) {
    let at = 0;
    for (const extent of extents) {
      const from = Math.max(offset, at);
      const until = Math.min(offset + bytes, at + extent.bytes);
      if (until > from) found.push({ offset: extent.offset + from - at, bytes: until - from });
      at += extent.bytes;
    }
  }
  return found;
}

export const disksOf = (nodes: readonly string[]): string[] =>
  [...new Set(nodes.map(diskOf))].filter((disk) => disk !== undefined);

/** The disk that a partition's node lies on: `/dev/block/mmcblk0p14` on `mmcblk0`, `/dev/block/sda12` on `sda`. */
function diskOf(node: string): string | undefined {
  return (
    /^(\/dev\/block\/(?:mmcblk|nvme\d+n)\d+)p\d+$/.exec(node) ?? /^(\/dev\/block\/sd[a-z]+)\d+$/.exec(node)
  )?.[1];
}
