import { sparseMagic } from '../android-sparse/android-sparse.ts';
import { bootMagic } from '../boot-image/layouts.ts';
import { vendorBootMagic } from '../boot-image/boot-image.ts';
import { looksLikeErofs } from '../erofs/erofs.ts';
import { looksLikeExt4 } from '../ext4/ext4.ts';
import { looksLikeF2fs } from '../f2fs/f2fs.ts';
import { looksLikeLogical } from '../logical-partitions/logical-partitions.ts';
import { vbmetaMagic } from '../verified-boot/verified-boot.ts';
import { readUtf8 } from '../../bytes/text.ts';

/** Enough for every mark: the second geometry of logical partitions begins at 8192. */
export const headBytes = 12288;

/** What an image can be taken for by its first bytes. */
export type Recognised =
  | 'boot image'
  | 'vendor boot image'
  | 'verified-boot metadata'
  | 'sparse image'
  | 'logical partitions'
  | 'ext4'
  | 'f2fs'
  | 'erofs';

const marked = (mark: string, at: number) => (head: Uint8Array) =>
  readUtf8(head.subarray(at, at + mark.length)) === mark;

const marks: readonly (readonly [Recognised, (head: Uint8Array) => boolean])[] = [
  ['boot image', marked(bootMagic, 0)],
  ['vendor boot image', marked(vendorBootMagic, 0)],
  ['verified-boot metadata', marked(vbmetaMagic, 0)],
  [
    'sparse image',
    (head) =>
      head.length >= 4 && new DataView(head.buffer, head.byteOffset).getUint32(0, true) === sparseMagic,
  ],
  ['logical partitions', looksLikeLogical],
  ['ext4', looksLikeExt4],
  ['f2fs', looksLikeF2fs],
  ['erofs', looksLikeErofs],
];

/** @param head the image's first bytes, `headBytes` of them where it has so many */
export const recognise = (head: Uint8Array): Recognised | undefined =>
  marks.find(([, looks]) => looks(head))?.[0];
