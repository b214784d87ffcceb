// Held to AOSP system/core/fs_mgr/liblp/include/liblp/metadata_format.h: the table is laid out and digested
// here by plain offsets and node:crypto, apart from the reader's own code.
import { createHash } from 'node:crypto';
import { describe, expect, it } from 'vitest';
import { memorySource } from '../../bytes/source.ts';
import { maxBytes, superBytes, superImage, usual, type Table } from '../../testing/super.ts';
import {
  composeSuper,
  layOutLogical,
  logicalSource,
  looksLikeLogical,
  readLogicalPartitions,
  roomFor,
} from './logical-partitions.ts';

describe('logical partitions', () => {
  it('are read with their extents, groups and attributes', async () => {
    const bytes = superImage();
    expect(looksLikeLogical(bytes.subarray(0, 8192))).toBe(true);
    const found = await readLogicalPartitions(memorySource(bytes));
    expect(found).toMatchObject({
      version: '10.2',
      metadataSlots: 2,
      findings: [],
      groups: [
        { name: 'default', maximumBytes: 0 },
        { name: 'tideos_dynamic_partitions_a', maximumBytes: 6 << 20 },
      ],
      blockDevices: [{ partition: 'super', bytes: superBytes }],
    });
    expect(found.partitions).toEqual([
      {
        name: 'system_a',
        group: 'tideos_dynamic_partitions_a',
        attributes: ['read-only', 'updated'],
        bytes: 2112 * 512,
        extents: [
          { target: 'linear', bytes: 1 << 20, startBytes: 1 << 20, device: 0 },
          { target: 'zero', bytes: 64 * 512, startBytes: 0, device: 0 },
        ],
      },
      {
        name: 'vendor_a',
        group: 'tideos_dynamic_partitions_a',
        attributes: ['read-only'],
        bytes: 512 * 512,
        extents: [{ target: 'linear', bytes: 512 * 512, startBytes: 8192 * 512, device: 0 }],
      },
      {
        name: 'system_b',
        group: 'tideos_dynamic_partitions_a',
        attributes: ['read-only'],
        bytes: 0,
        extents: [],
      },
    ]);
  });

  it('are sources of their own, across extents', async () => {
    const source = memorySource(superImage());
    const { partitions } = await readLogicalPartitions(source);
    const system = logicalSource(partitions[0]!, [source]);
    expect(system.bytes).toBe(2112 * 512);
    const sector = async (number: number) =>
      Buffer.from(await system.read(number * 512, 512)).readUInt32LE(0);
    expect([await sector(0), await sector(2047), await sector(2048)]).toEqual([2048, 4095, 0]);
    const across = Buffer.from(await system.read(2047 * 512, 1024));
    expect([across.readUInt32LE(0), across.readUInt32LE(512)]).toEqual([4095, 0]);
  });

  it('of the other slot are read from its own metadata', async () => {
    const other: Table = { ...usual, partitions: [['only_b', 0, 2, 1, 0]] };
    const found = await readLogicalPartitions(memorySource(superImage([usual, other])), 1);
    expect(found.partitions.map(({ name: each }) => each)).toEqual(['only_b']);
    await expect(readLogicalPartitions(memorySource(superImage()), 2)).rejects.toMatchObject({
      field: 'metadataSlots',
    });
  });

  it.each([
    ['the first geometry', 4096 + 20, /first copy of the geometry/],
    ['the second geometry', 8192 + 20, /second copy of the geometry/],
    ['the first metadata', 12288 + 300, /first copy of the metadata is damaged .*tables/],
    ['the second metadata', 12288 + 2 * maxBytes + 100, /second copy of the metadata is damaged .*header/],
  ])('are read with a finding when %s is damaged', async (_what, at, words2) => {
    const bytes = superImage();
    bytes[at]! ^= 1;
    const found = await readLogicalPartitions(memorySource(bytes));
    expect(found.partitions).toHaveLength(3);
    expect(found.findings.join()).toMatch(words2);
    expect(found.findings).toHaveLength(1);
  });

  it('are refused when no copy is whole, or what they say cannot be', async () => {
    const bytes = superImage();
    for (const copy of [0, 2]) bytes[12288 + copy * maxBytes + 300]! ^= 1;
    await expect(readLogicalPartitions(memorySource(bytes))).rejects.toMatchObject({
      field: 'tablesChecksum',
    });
    for (const [table, field] of [
      [{ ...usual, extents: [[2048, 0, 2 ** 40, 0], ...usual.extents.slice(1)] }, 'extent.targetData'],
      [{ ...usual, extents: [[2048, 9, 0, 0], ...usual.extents.slice(1)] }, 'extent.targetType'],
      [{ ...usual, extents: [[2048, 0, 0, 5], ...usual.extents.slice(1)] }, 'extent.targetData'],
      [{ ...usual, partitions: [['x', 0, 2, 9, 0]] }, 'partition'],
      [{ ...usual, partitions: [['x', 0, 0, 1, 7]] }, 'partition'],
    ] as [Table, string][]) {
      await expect(readLogicalPartitions(memorySource(superImage([table])))).rejects.toMatchObject({
        name: 'FormatError',
        field,
      });
    }
  });
});

it('those made here are read with every copy, and judged by SHA-256 where liblp has it', async () => {
  const size = 64 << 20;
  const disk = Buffer.alloc(size);
  const partitions = [
    { name: 'system_a', bytes: 20 << 20 },
    { name: 'vendor_a', bytes: 4 << 20 },
    { name: 'system_b', bytes: 0 },
  ];
  const group = 'quern_dynamic';
  const { pieces } = layOutLogical({
    superBytes: size,
    groups: [{ name: group, maximumBytes: roomFor(size) }],
    partitions: partitions.map((each) => ({ ...each, group })),
  });
  for (const { offset, bytes } of pieces) disk.set(bytes, offset);
  // liblp, metadata_format.h: geometry at 4096 and again at 8192, its digest at 8 with the field zero.
  for (const at of [4096, 8192]) {
    const geometry = Buffer.from(disk.subarray(at, at + disk.readUInt32LE(at + 4)));
    expect(geometry.readUInt32LE(0)).toBe(0x616c4467);
    const told = Buffer.from(geometry.subarray(8, 40));
    geometry.fill(0, 8, 40);
    expect(createHash('sha256').update(geometry).digest().equals(told)).toBe(true);
  }
  const found = await readLogicalPartitions(memorySource(disk));
  expect(found.findings).toEqual([]);
  expect(found.partitions.map((each) => [each.name, each.bytes, each.group, each.attributes])).toEqual(
    partitions.map(({ name, bytes }) => [name, bytes, group, ['read-only']]),
  );
  disk.fill(0xff, 4096, 8192);
  expect((await readLogicalPartitions(memorySource(disk))).partitions).toHaveLength(3);
});

describe('a super put together anew', () => {
  const table = () => readLogicalPartitions(memorySource(superImage()));

  it('gives a partition its new size, and keeps the others with their groups and attributes', async () => {
    const composed = composeSuper(await table(), new Map([['vendor_a', (2 << 20) + 1]]));
    if ('fault' in composed) throw new Error(composed.fault);
    const disk = Buffer.alloc(composed.superBytes);
    for (const { offset, bytes } of composed.layout.pieces) disk.set(bytes, offset);
    const found = await readLogicalPartitions(memorySource(disk));
    expect(found.findings).toEqual([]);
    expect(found.partitions.map(({ name, bytes, attributes }) => [name, bytes, attributes])).toEqual([
      ['system_a', 2112 * 512, ['read-only', 'updated']],
      // Whole blocks of 4096.
      ['vendor_a', (2 << 20) + 4096, ['read-only']],
      ['system_b', 0, ['read-only']],
    ]);
    expect(found.groups[1]).toEqual({ name: 'tideos_dynamic_partitions_a', maximumBytes: 6 << 20 });
    expect(composed.layout.places.map(({ offset }) => offset % (1 << 20))).toEqual([0, 0, 0]);
  });

  it.each([
    ['vendor_a', 6 << 20, /their group tideos_dynamic_partitions_a has 6 MiB/],
    ['nothing_a', 4096, /There is no nothing_a in super/],
  ])('is refused with %s of %i bytes', async (name, bytes, words) => {
    expect(composeSuper(await table(), new Map([[name, bytes]]))).toEqual({
      fault: expect.stringMatching(words) as string,
    });
  });
});
