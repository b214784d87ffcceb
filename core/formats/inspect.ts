import type { ByteSource } from '../bytes/source.ts';
import { readUtf8 } from '../bytes/text.ts';
import { sizeText } from '../bytes/units.ts';
import { readBootImage } from './boot-image/index.ts';
import { Ext4, looksLikeExt4 } from './ext4/index.ts';
import { readGpt } from './gpt/index.ts';

/** What an image was found to be. */
export interface Inspection {
  readonly format: 'GPT' | 'boot image' | 'ext4' | 'raw';
  /** Size of the input. */
  readonly bytes: number;
  readonly fields: Readonly<Record<string, string | number>>;
  /** Partitions, parts or the like, a line each. */
  readonly rows: readonly string[];
  /** What is wrong with it though it can be read. */
  readonly findings: readonly string[];
}

/**
 * Recognises an image by its bytes and describes it.
 * @throws FormatError when it carries a format's mark but cannot be read as that format
 */
export async function inspectImage(source: ByteSource): Promise<Inspection> {
  const head = await source.read(0, Math.min(source.bytes, 8192));
  const marked = (text: string, at: number) => readUtf8(head.subarray(at, at + text.length)) === text;
  if (marked('ANDROID!', 0)) return inspectBootImage(source);
  if (looksLikeExt4(head)) return inspectExt4(source);
  if (marked('EFI PART', 512) || marked('EFI PART', 4096) || (await hasBackupGpt(source))) {
    return inspectGpt(source);
  }
  return { format: 'raw', bytes: source.bytes, fields: {}, rows: [], findings: [] };
}

/** The mark of a backup header in the last sector, when the primary is gone. */
async function hasBackupGpt(source: ByteSource): Promise<boolean> {
  for (const sectorBytes of [512, 4096]) {
    if (source.bytes < sectorBytes * 3) continue;
    const last = await source.read((Math.floor(source.bytes / sectorBytes) - 1) * sectorBytes, 8);
    if (readUtf8(last) === 'EFI PART') return true;
  }
  return false;
}

async function inspectGpt(source: ByteSource): Promise<Inspection> {
  const gpt = await readGpt(source);
  return {
    format: 'GPT',
    bytes: source.bytes,
    fields: { 'disk GUID': gpt.diskGuid, 'sector size': gpt.sectorBytes, 'read from': `${gpt.from} table` },
    rows: gpt.partitions.map(
      ({ number, name, firstLba, lastLba, bytes }) =>
        `${number} ${name}: sectors ${firstLba}–${lastLba}, ${sizeText(bytes)}`,
    ),
    findings: gpt.findings,
  };
}

async function inspectBootImage(source: ByteSource): Promise<Inspection> {
  const image = await readBootImage(source);
  return {
    format: 'boot image',
    bytes: source.bytes,
    fields: {
      'header version': image.headerVersion,
      'page size': image.pageBytes,
      'Android version': image.os?.version ?? 'not said',
      'patch level': image.os?.patchLevel ?? 'not said',
      'command line': image.commandLine,
    },
    rows: image.parts.map(({ name, offset, bytes }) => `${name}: ${bytes} bytes at ${offset}`),
    findings: [],
  };
}

async function inspectExt4(source: ByteSource): Promise<Inspection> {
  const { superblock, usedBytes } = await Ext4.open(source);
  return {
    format: 'ext4',
    bytes: source.bytes,
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
    rows: [],
    findings: [
      ...superblock.findings,
      ...(superblock.needsRecovery ? ['The journal holds changes that are not yet in place.'] : []),
    ],
  };
}
