import { FormatError } from '../../bytes/format-error.ts';
import type { ByteRange } from '../../bytes/ranges.ts';
import type { ByteSource } from '../../bytes/source.ts';
import { Erofs, looksLikeErofs } from '../erofs/erofs.ts';
import { Ext4, usedRanges } from '../ext4/ext4.ts';
import { F2fs, looksLikeF2fs, usedRangesOfF2fs } from '../f2fs/f2fs.ts';
import type { FileSystemFormat } from './names.ts';
import type { FileSystem } from './reading.ts';

const markBytes = 8192;

async function formatOf(source: ByteSource): Promise<FileSystemFormat> {
  const head = await source.read(0, Math.min(markBytes, source.bytes));
  return looksLikeErofs(head) ? 'erofs' : looksLikeF2fs(head) ? 'f2fs' : 'ext4';
}

/** Opens whichever file system there is, as a phone would mount it. @throws FormatError when there is none */
export async function openFileSystem(source: ByteSource, byCopies = false): Promise<FileSystem> {
  switch (await formatOf(source)) {
    case 'erofs':
      return Erofs.open(source);
    case 'f2fs':
      return F2fs.open(source);
    case 'ext4':
      return Ext4.open(source, byCopies);
  }
}

/** The same to be looked into: what has no mark is tried as ext4, whose copies of its superblock may be whole. @throws as `openFileSystem` */
export const lookIntoFileSystem = (source: ByteSource): Promise<FileSystem> => openFileSystem(source, true);

/**
 * Where the blocks lie that a file system has in use; all else may be taken as zeros.
 * @throws FormatError when it cannot be told, or its own notes cannot be trusted
 */
export async function usedRangesOf(source: ByteSource): Promise<ByteRange[]> {
  switch (await formatOf(source)) {
    case 'erofs':
      throw new FormatError('erofs', 'blocks', 0, 'all of its blocks are in use');
    case 'f2fs':
      return usedRangesOfF2fs(source);
    case 'ext4':
      return usedRanges(source);
  }
}
