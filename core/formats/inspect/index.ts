import { FormatError } from '../../bytes/format-error.ts';
import { slice, type ByteSource } from '../../bytes/source.ts';
import { readUtf8 } from '../../bytes/text.ts';
import { sizeText } from '../../bytes/units.ts';
import { readSparse, sparseMagic, sparseSource } from '../android-sparse/index.ts';
import { bootMagic } from '../boot-image/layouts.ts';
import { readBootImage, readVendorBoot, vendorBootMagic } from '../boot-image/index.ts';
import { looksLikeErofs, readErofs } from '../erofs/index.ts';
import { Ext4, looksLikeExt4 } from '../ext4/index.ts';
import { looksLikeF2fs, readF2fs } from '../f2fs/index.ts';
import { readGpt } from '../gpt/index.ts';
import { gptSignature } from '../gpt/layouts.ts';
import { logicalSource, looksLikeLogical, readLogicalPartitions } from '../logical-partitions/index.ts';
import { readAvbFooter, readVbmeta, vbmetaMagic } from '../verified-boot/index.ts';
import { inspection, type Inspection } from './inspection.ts';
import { inspectVbmeta } from './vbmeta.ts';

export { allFindings, inspection, type Inspection } from './inspection.ts';

/** Images inside images inside images: beyond this nobody nests them. */
const deepest = 4;
/** Enough for every mark: the second geometry of logical partitions begins at 8192. */
const headBytes = 12288;

interface Recognised {
  /** Whether an image carries the format's mark. */
  looks(head: Uint8Array): boolean;
  inspect(source: ByteSource, depth: number): Promise<Inspection>;
}

const marked = (mark: string, at: number) => (head: Uint8Array) =>
  readUtf8(head.subarray(at, at + mark.length)) === mark;

const formats: readonly Recognised[] = [
  { looks: marked(bootMagic, 0), inspect: inspectBootImage },
  { looks: marked(vendorBootMagic, 0), inspect: inspectVendorBoot },
  {
    looks: marked(vbmetaMagic, 0),
    inspect: async (source) => inspectVbmeta(await readVbmeta(source), source.bytes),
  },
  {
    looks: (head) =>
      head.length >= 4 && new DataView(head.buffer, head.byteOffset).getUint32(0, true) === sparseMagic,
    inspect: inspectSparse,
  },
  { looks: looksLikeLogical, inspect: inspectLogical },
  { looks: looksLikeExt4, inspect: inspectExt4 },
  { looks: looksLikeF2fs, inspect: inspectF2fs },
  { looks: looksLikeErofs, inspect: inspectErofs },
  {
    looks: (head) => marked(gptSignature, 512)(head) || marked(gptSignature, 4096)(head),
    inspect: inspectGpt,
  },
];

/**
 * Recognises an image by its bytes and describes it and what lies inside it.
 * @throws FormatError when it carries a format's mark but cannot be read as that format
 */
export async function inspectImage(source: ByteSource, depth = 0): Promise<Inspection> {
  const head = await source.read(0, Math.min(source.bytes, headBytes));
  const known = formats.find(({ looks }) => looks(head));
  const found = known
    ? await known.inspect(source, depth)
    : (await hasBackupGpt(source))
      ? await inspectGpt(source, depth)
      : inspection('raw', source.bytes);
  const footer = found.format === 'GPT' ? undefined : await readAvbFooter(source);
  if (!footer) return found;
  const carried = inspectVbmeta(await readVbmeta(source, footer.vbmetaOffset), footer.vbmetaBytes);
  return {
    ...found,
    inner: [...found.inner, { name: 'its own verified-boot metadata', inspection: carried }],
  };
}

/** What lies inside: a fault in there is a finding, not the end. */
async function inside(name: string, source: ByteSource, depth: number): Promise<Inspection['inner']> {
  if (depth >= deepest || source.bytes === 0) return [];
  try {
    const found = await inspectImage(source, depth + 1);
    return found.format === 'raw' && found.inner.length === 0 ? [] : [{ name, inspection: found }];
  } catch (error) {
    if (!(error instanceof FormatError)) throw error;
    return [{ name, inspection: inspection('damaged', source.bytes, { findings: [error.message] }) }];
  }
}

/** The mark of a backup header in the last sector, when the primary is gone. */
async function hasBackupGpt(source: ByteSource): Promise<boolean> {
  for (const sectorBytes of [512, 4096]) {
    if (source.bytes < sectorBytes * 3) continue;
    const last = await source.read((Math.floor(source.bytes / sectorBytes) - 1) * sectorBytes, 8);
    if (readUtf8(last) === gptSignature) return true;
  }
  return false;
}

async function inspectGpt(source: ByteSource, depth: number): Promise<Inspection> {
  const gpt = await readGpt(source);
  const inner: Inspection['inner'][number][] = [];
  for (const { name, startBytes, bytes } of gpt.partitions) {
    inner.push(...(await inside(name, slice(source, startBytes, bytes), depth)));
  }
  return inspection('GPT', source.bytes, {
    fields: { 'disk GUID': gpt.diskGuid, 'sector size': gpt.sectorBytes, 'read from': `${gpt.from} table` },
    rows: gpt.partitions.map(
      ({ number, name, firstLba, lastLba, bytes }) =>
        `${number} ${name}: sectors ${firstLba}–${lastLba}, ${sizeText(bytes)}`,
    ),
    findings: gpt.findings,
    inner,
  });
}

async function inspectBootImage(source: ByteSource): Promise<Inspection> {
  const image = await readBootImage(source);
  return inspection('boot image', source.bytes, {
    fields: {
      'header version': image.headerVersion,
      'page size': image.pageBytes,
      'Android version': image.os?.version ?? 'not said',
      'patch level': image.os?.patchLevel ?? 'not said',
      'command line': image.commandLine,
    },
    rows: image.parts.map(({ name, offset, bytes }) => `${name}: ${bytes} bytes at ${offset}`),
  });
}

async function inspectVendorBoot(source: ByteSource): Promise<Inspection> {
  const image = await readVendorBoot(source);
  const named = (name: string, bytes: number, offset: number) => `${name}: ${bytes} bytes at ${offset}`;
  return inspection('vendor boot image', source.bytes, {
    fields: {
      'header version': image.headerVersion,
      'page size': image.pageBytes,
      name: image.name,
      'command line': image.commandLine,
    },
    rows: [
      ...image.parts.map(({ name, bytes, offset }) => named(name, bytes, offset)),
      ...image.ramdisks.map(({ name, type, bytes, offset }) =>
        named(`ramdisk ${name || 'without a name'} (${type})`, bytes, offset),
      ),
    ],
  });
}

async function inspectSparse(source: ByteSource, depth: number): Promise<Inspection> {
  const { blockBytes, imageBytes, chunks } = await readSparse(source);
  return inspection('sparse image', source.bytes, {
    fields: {
      'block size': blockBytes,
      chunks,
      'describes an image of': `${sizeText(imageBytes)} (${imageBytes} bytes)`,
    },
    inner: await inside('the image', await sparseSource(source), depth),
  });
}

async function inspectLogical(source: ByteSource, depth: number): Promise<Inspection> {
  const found = await readLogicalPartitions(source);
  const inner: Inspection['inner'][number][] = [];
  // Only `super` itself is at hand; partitions on other devices cannot be looked into.
  const alone = found.blockDevices.length === 1;
  for (const partition of alone ? found.partitions : []) {
    inner.push(...(await inside(partition.name, logicalSource(partition, [source]), depth)));
  }
  return inspection('logical partitions', source.bytes, {
    fields: { version: found.version, slots: found.metadataSlots },
    rows: found.partitions.map(({ name, group, bytes, extents, attributes }) =>
      [`${name} in ${group}: ${sizeText(bytes)} in ${extents.length} extents`, ...attributes].join(', '),
    ),
    findings: found.findings,
    inner,
  });
}

async function inspectExt4(source: ByteSource): Promise<Inspection> {
  const { superblock, usedBytes } = await Ext4.open(source);
  return inspection('ext4', source.bytes, {
    fields: {
      volume: superblock.volumeName || 'unnamed',
      UUID: superblock.uuid,
      'block size': superblock.blockBytes,
      blocks: superblock.blocks,
      'in use': `${sizeText(usedBytes)} (${usedBytes} bytes)`,
      inodes: `${superblock.inodes - superblock.freeInodes} of ${superblock.inodes}`,
      'last mounted on': superblock.lastMountedOn || 'never',
      features: superblock.incompatFeatures.join(' '),
    },
    findings: [
      ...superblock.findings,
      ...(superblock.needsRecovery ? ['The journal holds changes that are not yet in place.'] : []),
    ],
  });
}

async function inspectF2fs(source: ByteSource): Promise<Inspection> {
  const { blockBytes, blocks, volumeName, uuid, findings } = await readF2fs(source);
  const fields = { volume: volumeName || 'unnamed', UUID: uuid, 'block size': blockBytes, blocks };
  return inspection('f2fs', source.bytes, { fields, findings });
}

async function inspectErofs(source: ByteSource): Promise<Inspection> {
  const { blockBytes, blocks, inodes, volumeName, uuid, findings } = await readErofs(source);
  const fields = { volume: volumeName || 'unnamed', UUID: uuid, 'block size': blockBytes, blocks, inodes };
  return inspection('erofs', source.bytes, { fields, findings });
}
