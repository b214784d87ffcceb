import { FormatError } from '../../bytes/format-error.ts';
import { slice, type ByteSource } from '../../bytes/source.ts';
import { readUtf8 } from '../../bytes/text.ts';
import { sizeText } from '../../bytes/units.ts';
import { checkSparse, readSparse, sparseSource } from '../android-sparse/android-sparse.ts';
import { describe, describedMark } from '../described/describe.ts';
import { Erofs } from '../erofs/erofs.ts';
import { Ext4 } from '../ext4/ext4.ts';
import { F2fs } from '../f2fs/f2fs.ts';
import { readGpt, wholeDiskOf } from '../gpt/gpt.ts';
import { gptSignature } from '../gpt/layouts.ts';
import { logicalSource, readLogicalPartitions } from '../logical-partitions/logical-partitions.ts';
import { readAvbFooter, readVbmeta } from '../verified-boot/verified-boot.ts';
import { inspection, type Inspection } from './inspection.ts';
import { headBytes, recognise, type Recognised } from './recognise.ts';
import { inspectBootImage, inspectVendorBoot } from './boot-images.ts';
import { inspectVbmeta } from './vbmeta.ts';

export { headBytes } from './recognise.ts';
export { allFindings, inspection, type Inspection } from './inspection.ts';

/** Images inside images inside images: beyond this nobody nests them. */
const deepest = 4;

const inspectors: Readonly<Record<Recognised, (source: ByteSource, depth: number) => Promise<Inspection>>> = {
  'boot image': (source, depth) => inspectBootImage(source, (name, part) => inside(name, part, depth)),
  'vendor boot image': (source, depth) =>
    inspectVendorBoot(source, (name, part) => inside(name, part, depth)),
  'verified-boot metadata': async (source) => inspectVbmeta(await readVbmeta(source), source.bytes),
  'sparse image': inspectSparse,
  'logical partitions': inspectLogical,
  ext4: inspectExt4,
  f2fs: inspectF2fs,
  erofs: inspectErofs,
};

const hasPrimaryGpt = (head: Uint8Array): boolean =>
  [512, 4096].some((at) => readUtf8(head.subarray(at, at + gptSignature.length)) === gptSignature);

/**
 * Recognises an image by its bytes and describes it and what lies inside it.
 * @throws FormatError when it carries a format's mark but cannot be read as that format
 */
export async function inspectImage(source: ByteSource, depth = 0): Promise<Inspection> {
  const head = await source.read(0, Math.min(source.bytes, headBytes));
  const known = recognise(head);
  const found = known
    ? await inspectors[known](source, depth)
    : hasPrimaryGpt(head) || (await hasBackupGpt(source))
      ? await inspectGpt(source, depth)
      : ((await describe(head, source)) ?? (await inspectCopies(source)) ?? inspection('raw', source.bytes));
  const footer = found.format === 'GPT' ? undefined : await readAvbFooter(source);
  if (!footer) return found;
  const carried = inspectVbmeta(await readVbmeta(source, footer.vbmetaOffset), footer.vbmetaBytes);
  return {
    ...found,
    inner: [...found.inner, { name: 'its own verified-boot metadata', inspection: carried }],
  };
}

/** A file system whose beginning is wiped, by its other superblocks. */
async function inspectCopies(source: ByteSource): Promise<Inspection | undefined> {
  try {
    return await inspectExt4(source);
  } catch (error) {
    if (error instanceof FormatError) return undefined;
    throw error;
  }
}

/** What an image is, by its marks alone: a format's name, or `raw`. */
export async function recogniseImage(source: ByteSource): Promise<string> {
  const head = await source.read(0, Math.min(source.bytes, headBytes));
  const known = recognise(head);
  if (known) return known;
  return hasPrimaryGpt(head) || (await hasBackupGpt(source)) ? 'GPT' : (describedMark(head) ?? 'raw');
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
  // A table alone is read as the disk that it was cut out of; its partitions are then not at hand.
  const disk = await wholeDiskOf(source);
  const gpt = await readGpt(disk ?? source);
  const inner: Inspection['inner'][number][] = [];
  for (const { name, startBytes, bytes } of disk ? [] : gpt.partitions) {
    inner.push(...(await inside(name, slice(source, startBytes, bytes), depth)));
  }
  return inspection('GPT', source.bytes, {
    fields: {
      'disk GUID': gpt.diskGuid,
      'sector size': gpt.sectorBytes,
      ...(disk && { 'describes a disk of': sizeText(disk.bytes) }),
      'read from': `${gpt.from} table`,
    },
    rows: gpt.partitions.map(
      ({ number, name, firstLba, lastLba, bytes }) =>
        `${number} ${name}: sectors ${firstLba}–${lastLba}, ${sizeText(bytes)}`,
    ),
    findings: disk ? [] : gpt.findings,
    inner,
  });
}

async function inspectSparse(source: ByteSource, depth: number): Promise<Inspection> {
  const { blockBytes, imageBytes, chunks } = await readSparse(source);
  const findings: string[] = [];
  const hasSums = await checkSparse(source).catch((error: unknown) => {
    if (!(error instanceof FormatError)) throw error;
    findings.push(`${error.message}.`);
    return true;
  });
  return inspection('sparse image', source.bytes, {
    findings,
    fields: {
      'CRC-32': hasSums ? (findings.length === 0 ? 'as it says' : 'not as it says') : 'none',
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

/** What every file system says of itself. */
const volumeFields = ({
  volumeName,
  uuid,
  blockBytes,
  blocks,
}: {
  readonly volumeName: string;
  readonly uuid: string;
  readonly blockBytes: number;
  readonly blocks: number;
}) => ({ volume: volumeName || 'unnamed', UUID: uuid, 'block size': blockBytes, blocks });

async function inspectExt4(source: ByteSource): Promise<Inspection> {
  const fs = await Ext4.open(source, true);
  const { superblock, usedBytes } = fs;
  const descriptors = await fs.descriptorFinding();
  const findings = [...fs.findings, ...(descriptors ? [descriptors] : [])];
  return inspection('ext4', source.bytes, {
    fields: {
      ...volumeFields(superblock),
      'in use': `${sizeText(usedBytes)} (${usedBytes} bytes)`,
      inodes: `${superblock.inodes - superblock.freeInodes} of ${superblock.inodes}`,
      'last mounted on': superblock.lastMountedOn || 'never',
      features: superblock.incompatFeatures.join(' '),
    },
    findings,
  });
}

async function inspectF2fs(source: ByteSource): Promise<Inspection> {
  const { superblock, checkpoint, usedBytes, findings } = await F2fs.open(source);
  return inspection('f2fs', source.bytes, {
    fields: {
      ...volumeFields(superblock),
      'in use': `${sizeText(usedBytes)} (${usedBytes} bytes)`,
      inodes: checkpoint.inodes,
      features: superblock.features.join(' ') || 'none',
    },
    findings,
  });
}

async function inspectErofs(source: ByteSource): Promise<Inspection> {
  const { superblock, findings } = await Erofs.open(source);
  return inspection('erofs', source.bytes, {
    fields: {
      ...volumeFields(superblock),
      inodes: superblock.inodes,
      features: superblock.features.join(' ') || 'none',
    },
    findings,
  });
}
