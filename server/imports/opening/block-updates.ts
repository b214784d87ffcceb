import { FormatError } from '@keen-larder/core/bytes/format-error.ts';
import type { ByteSource } from '@keen-larder/core/bytes/source.ts';
import { sizeText } from '@keen-larder/core/bytes/units.ts';
import {
  blockBytes,
  freshExtents,
  type TransferList,
} from '@keen-larder/core/formats/block-update/transfer-list.ts';
import { extentSource } from '@keen-larder/core/formats/file-system/extents.ts';
import { recogniseImage } from '@keen-larder/core/formats/inspect/inspect.ts';
import { sourceBytes } from '../../formats/file-source.ts';
import type { OpenedFile } from './opened-file.ts';

const parts = /\.(transfer\.list|new\.dat|new\.dat\.br|patch\.dat)$/;

export type UpdatePart = 'list' | 'blocks' | 'packed blocks' | 'patches';

/** Which part of an update by blocks a file is by its name, and what the parts are called together. */
export function updatePartOf(path: string): { readonly kind: UpdatePart; readonly stem: string } | undefined {
  const found = parts.exec(path);
  if (!found) return undefined;
  const kinds: Readonly<Record<string, UpdatePart>> = {
    'transfer.list': 'list',
    'new.dat': 'blocks',
    'new.dat.br': 'packed blocks',
    'patch.dat': 'patches',
  };
  return { kind: kinds[found[1]!]!, stem: path.slice(0, found.index) };
}

/** Lists and their blocks become images; of what has no other half it is said. */
export async function joinBlockUpdates(files: readonly OpenedFile[]): Promise<OpenedFile[]> {
  const halves = new Map<string, OpenedFile[]>();
  for (const file of files) {
    const stem = file.updatePart?.stem;
    if (stem !== undefined) halves.set(stem, [...(halves.get(stem) ?? []), file]);
  }
  const found: OpenedFile[] = [];
  for (const file of files) {
    const { updatePart } = file;
    if (!updatePart) found.push(file);
    else if (halves.get(updatePart.stem)![0] === file)
      found.push(await joined(updatePart.stem, halves.get(updatePart.stem)!));
  }
  return found;
}

async function joined(stem: string, halves: readonly OpenedFile[]): Promise<OpenedFile> {
  const listFile = halves.find(({ updatePart }) => updatePart?.list);
  const blocksFile = halves.find(({ updatePart }) => updatePart?.blocks);
  const name = stem.split('/').at(-1)!;
  const faulty = (file: OpenedFile, fault: string): OpenedFile => ({ ...file, fault });
  const broken = halves.find(({ fault }) => fault);
  if (broken) return broken;
  if (!listFile) return faulty(halves[0]!, `Its list is not here: bring ${name}.transfer.list along.`);
  if (!blocksFile) return faulty(listFile, `Its blocks are not here: bring ${name}.new.dat along.`);
  const [list, blocks] = [listFile.updatePart!.list!, blocksFile.updatePart!.blocks!];
  const fault = faultOf(list, blocks);
  if (fault) return faulty(blocksFile, fault);
  try {
    const image = extentSource(blocks, freshExtents(list), list.blocks * blockBytes, 'transfer list', 'new');
    return {
      ...blocksFile,
      // In the order of its blocks on the disk, not of its data.
      layers: ['update by blocks', await recogniseImage(image)],
      imageBytes: image.bytes,
      image: () => sourceBytes(image),
    };
  } catch (error) {
    if (!(error instanceof FormatError)) throw error;
    return faulty(blocksFile, `It cannot be read: ${error.message}.`);
  }
}

function faultOf(list: TransferList, blocks: ByteSource): string | undefined {
  if (list.needsOld !== undefined)
    return `It is made from what the phone has installed (${list.needsOld}): this is an incremental update. Bring the full one.`;
  const wanted = list.fresh.reduce((sum, { start, end }) => sum + end - start, 0) * blockBytes;
  return wanted === blocks.bytes
    ? undefined
    : `Its list speaks of ${sizeText(wanted)} (${wanted} bytes) of new blocks, and there are ${blocks.bytes} bytes. Download it again.`;
}
