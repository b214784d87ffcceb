import type { ByteSource } from '@keen-larder/core/bytes/source.ts';
import { joinBytes } from '@keen-larder/core/bytes/join.ts';
import { FormatError } from '@keen-larder/core/bytes/format-error.ts';
import { parseSuperblock, superblockOffset } from '@keen-larder/core/formats/ext4/ext4.ts';
import { F2fs } from '@keen-larder/core/formats/f2fs/f2fs.ts';
import { openFileSystem } from '@keen-larder/core/formats/file-system/open.ts';
import { headBytes, recognise } from '@keen-larder/core/formats/inspect/recognise.ts';
import {
  logicalSource,
  readLogicalPartitions,
} from '@keen-larder/core/formats/logical-partitions/logical-partitions.ts';
import type { PartitionFacts } from '@keen-larder/core/phone/facts.ts';
import { parseProperties } from '@keen-larder/core/phone/properties.ts';
import { FlashFailure, PhoneFailure, PhoneRefusal } from '../failures.ts';

const buildProp = ['/build.prop', '/system/build.prop'];
const suPaths = ['/xbin/su', '/bin/su', '/system/xbin/su', '/system/bin/su'];

const headNotReadable = 'The phone cannot read its beginning: what lies on it is not known.';
/** Flash wears by pages. */
const pageBytes = 4096;

/** A source in which pages that the phone cannot read are zeros, for looking past them. */
export const zerosWhereUnreadable = (source: ByteSource): ByteSource => ({
  bytes: source.bytes,
  async read(offset, length) {
    try {
      return await source.read(offset, length);
    } catch (error) {
      if (!(error instanceof FlashFailure)) throw error;
      if (length <= pageBytes) return new Uint8Array(length);
      const parts: Uint8Array[] = [];
      for (let at = offset; at < offset + length;) {
        const end = Math.min(offset + length, (Math.floor(at / pageBytes) + 1) * pageBytes);
        parts.push(await this.read(at, end - at));
        at = end;
      }
      return joinBytes(parts);
    }
  },
});

/** What lies on a partition, by its first bytes. @param source with reads that are worth saving */
export async function contentsOf(
  source: ByteSource,
): Promise<Pick<PartitionFacts, 'fileSystem' | 'usedBytes' | 'finding'>> {
  let head: Uint8Array;
  try {
    head = await source.read(0, Math.min(headBytes, source.bytes));
  } catch (error) {
    // A phone with bad flash is still one to be kept as far as it can be read.
    if (error instanceof FlashFailure || error instanceof PhoneRefusal) return { finding: headNotReadable };
    throw error;
  }
  const fileSystem = recognise(head);
  if (!fileSystem) return {};
  try {
    if (fileSystem === 'f2fs') return { fileSystem, usedBytes: (await F2fs.open(source)).usedBytes };
    if (fileSystem !== 'ext4') return { fileSystem };
    const superblock = head.subarray(superblockOffset, superblockOffset + 1024);
    const { blocks, freeBlocks, blockBytes } = parseSuperblock(superblock, source.bytes);
    return { fileSystem, usedBytes: (blocks - freeBlocks) * blockBytes };
  } catch {
    // A damaged file system is still a partition worth keeping; its use is simply not known.
    return {};
  }
}

/** What is installed on a phone, read out of its system partition. */
export interface InstalledSystem {
  readonly properties: Readonly<Record<string, string>>;
  readonly hasSu: boolean;
}

/**
 * Reads the installed system's own properties: other modes than the system's do not tell them.
 * @param partition a partition as a source; undefined where the phone has none of that name
 * @param slot suffix of the slot that starts, `_a`
 * @returns undefined when there is none to be read, which is what other modes are there for
 */
export async function installedSystem(
  partition: (name: string) => Promise<ByteSource | undefined>,
  slot: string,
): Promise<InstalledSystem | undefined> {
  try {
    const source =
      (await partition(`system${slot}`)) ??
      (await partition('system')) ??
      (await logicalSystem(partition, slot));
    if (!source) return undefined;
    const fs = await openFileSystem(source);
    for (const path of buildProp) {
      const text = await fs.text(path);
      if (text === undefined) continue;
      const su = await Promise.all(suPaths.map((each) => fs.find(each)));
      return { properties: parseProperties(text), hasSu: su.some((found) => found !== undefined) };
    }
  } catch (error) {
    if (!(error instanceof FormatError) && !(error instanceof PhoneFailure)) throw error;
  }
  return undefined;
}

async function logicalSystem(
  partition: (name: string) => Promise<ByteSource | undefined>,
  slot: string,
): Promise<ByteSource | undefined> {
  const whole = await partition('super');
  if (!whole) return undefined;
  const { partitions } = await readLogicalPartitions(whole);
  const found =
    partitions.find(({ name }) => name === `system${slot}`) ??
    partitions.find(({ name }) => name === 'system');
  return found && logicalSource(found, [whole]);
}
