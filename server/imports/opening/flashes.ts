import { slice, type ByteSource } from '@keen-larder/core/bytes/source.ts';
import { sizeText } from '@keen-larder/core/bytes/units.ts';
import { gptRegions, readGpt, wholeDiskOf } from '@keen-larder/core/formats/gpt/gpt.ts';
import { recogniseImage } from '@keen-larder/core/formats/inspect/inspect.ts';
import { tableImageName } from '@keen-larder/core/phone/roles.ts';
import { sourceBytes } from '../../formats/file-source.ts';
import type { OpenedFile } from './opened-file.ts';

/**
 * The partitions of a whole flash, and both copies of its partition table. What a partition holds is what it
 * is: nothing in it is unpacked.
 */
export async function lookIntoFlash(source: ByteSource, path: string): Promise<OpenedFile[]> {
  const { partitions, sectorBytes } = await readGpt(source);
  const { primary, backup } = await gptRegions(source, sectorBytes);
  const places = [
    { name: tableImageName('primary'), startBytes: primary.offset, bytes: primary.bytes },
    ...partitions,
    { name: tableImageName('backup'), startBytes: backup.offset, bytes: backup.bytes },
  ];
  const found: OpenedFile[] = [];
  for (const { name, startBytes, bytes } of places) {
    const within = slice(source, startBytes, bytes);
    const image = () => sourceBytes(within);
    const layers = [await recogniseImage(within)];
    found.push({
      path: `${path}/${name}`,
      partition: name,
      bytes,
      layers,
      imageBytes: bytes,
      plain: image,
      image,
    });
  }
  return found;
}

/** A table with more behind it than a table has is a flash that was not read to its end. */
export async function endsEarly(source: ByteSource): Promise<string | undefined> {
  const disk = await wholeDiskOf(source);
  if (!disk || source.bytes <= mostTableBytes) return undefined;
  return `It is a whole flash that ends too early: its table speaks of ${sizeText(disk.bytes)}, and there are ${sizeText(source.bytes)}. Read it again.`;
}

/** Both copies of a table, with room to spare. */
const mostTableBytes = 1 << 20;
