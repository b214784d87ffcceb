import { createHash } from 'node:crypto';
import { pack as tarPack } from 'tar-stream';
import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import type { SetDetail } from '@keen-larder/contract/sets.ts';
import { writeSparse } from '@keen-larder/core/formats/android-sparse/android-sparse.ts';
import { checksumLine } from '@keen-larder/core/formats/checksum-files/checksum-files.ts';
import { contentsFileName, contentsFormat, type Contents } from '@keen-larder/core/larder/contents.ts';
import { fileNameOf } from '@keen-larder/core/larder/label.ts';
import {
  exportFiles,
  packingSuffix,
  type ExportFile,
  type ExportImage,
  type ExportOptions,
} from '@keen-larder/core/larder/export-plan.ts';
import { proofWords } from '@keen-larder/core/phone/proof-ways.ts';
import { rangesBytes, rangesText } from '@keen-larder/core/bytes/ranges.ts';
import type { ImageRow } from '../database/sets.ts';
import { wrap } from '../formats/unpacking/wrappers.ts';
import { ageSealed, ageSuffix, type AgeSeal } from '../sealing/age.ts';
import { digestsOf } from '../shelf/manifest.ts';
import { counted } from '../async/counted.ts';
import { readImage } from '../shelf/image-reader.ts';
import type { Larder } from './larder.ts';

/** A file of an export: its name, and its bytes as they are to be written. */
export interface ExportedFile {
  readonly name: string;
  readonly partition: string;
  /** Bytes of the image or sparse image that go into it, for progress. */
  readonly bytes: number;
  /** @param passed told the bytes that have gone in */
  open(passed?: (bytes: number) => void): AsyncIterable<Uint8Array>;
}

/** What was written, for the checksum files. */
export interface WrittenFile {
  readonly name: string;
  /** Left out of an archive of several images. */
  readonly partition?: string;
  readonly sha256: Buffer;
  readonly md5: Buffer;
}

/** The files that an export of a set is made of. @param picked partitions @param seal where they leave sealed */
export function planExport(
  larder: Larder,
  set: SetDetail,
  options: ExportOptions,
  picked: readonly string[],
  seal?: AgeSeal,
): ExportedFile[] {
  const images = set.images
    .filter(({ partition }) => picked.includes(partition))
    .map(({ partition }) => larder.image(set.id, partition));
  const files = exportFiles(images.map(exportImage), options);
  const { packing } = options;
  return files.map((file) => ({
    name: `${file.name}${packingSuffix[packing]}${seal ? ageSuffix : ''}`,
    partition: file.partition,
    bytes: file.bytes,
    open: (passed = () => undefined) => {
      const bytes = counted(contents(larder, larder.image(set.id, file.partition), file), passed);
      const packed = packing === 'none' ? bytes : wrap(packing, bytes);
      return seal ? ageSealed(seal, packed) : packed;
    },
  }));
}

const exportImage = ({ partition, kind, bytes, chunkBytes, chunks }: ImageRow): ExportImage => ({
  partition,
  isArchive: kind === 'archive',
  bytes,
  chunkBytes,
  zeros: digestsOf(chunks).map((digest) => digest === undefined),
});

/** An image as files, as they are handed to a phone. */
export function imageFiles(
  larder: Larder,
  image: ImageRow,
  options: Pick<ExportOptions, 'form' | 'splitBytes'>,
): { readonly bytes: number; open(): AsyncIterable<Uint8Array> }[] {
  return exportFiles([exportImage(image)], options).map((file) => ({
    bytes: file.bytes,
    open: () => contents(larder, image, file),
  }));
}

function contents(larder: Larder, image: ImageRow, { sparse }: ExportFile): AsyncIterable<Uint8Array> {
  if (!sparse) return readImage(larder.shelf, image);
  return writeSparse(sparse, (offset, bytes) => readImage(larder.shelf, image, { offset, bytes }));
}

/** Hands a file's bytes on and digests them on the way; `digests` is complete when the stream has ended. */
export function digested(parts: AsyncIterable<Uint8Array>) {
  const [sha256, md5] = [createHash('sha256'), createHash('md5')];
  return {
    bytes: (async function* () {
      for await (const part of parts) {
        sha256.update(part);
        md5.update(part);
        yield part;
      }
    })(),
    digests: () => ({ sha256: sha256.digest(), md5: md5.digest() }),
  };
}

/** Checksum files, as the ordinary tools check them. */
export const checksumTexts = (written: readonly WrittenFile[]) => ({
  SHA256SUMS: written.map(({ sha256, name }) => checksumLine(sha256, name)).join(''),
  MD5SUMS: written.map(({ md5, name }) => checksumLine(md5, name)).join(''),
});

/** The files that stand beside an export's images: checksums as the ordinary tools check them, and what is what. */
export const besideFiles = (
  set: SetDetail,
  picked: readonly string[],
  written: readonly WrittenFile[],
): Record<string, string> => ({
  ...checksumTexts(written),
  'CONTENTS.txt': contentsText(
    set,
    picked,
    written.map(({ name }) => name),
  ),
  [contentsFileName]: `${JSON.stringify(contentsOf(set, picked, written), null, 2)}\n`,
});

/** For people: of which phone, in which condition, and each image's digest whatever it is packed in. */
function contentsText(set: SetDetail, picked: readonly string[], names: readonly string[]): string {
  const { condition } = set;
  const lines = [
    set.label,
    '',
    set.firmware
      ? `Firmware of: ${set.maker} ${set.model}`
      : `Phone: ${set.maker} ${set.model}, serial ${set.serial} (${set.nickname})`,
    `Condition: ${condition.kind}, ${condition.build ?? 'build unknown'}${condition.patchLevel ? `, patch level ${condition.patchLevel}` : ''}`,
    `Taken: ${new Date(set.createdAt).toISOString()}${set.mode ? ` in ${set.mode} mode` : ''}${set.imported ? ', imported from files' : ''}`,
    ...(set.note ? [`Note: ${set.note}`] : []),
    '',
    'Image, role, bytes, SHA-256 of the image as it was on the phone:',
    ...set.images
      .filter(({ partition }) => picked.includes(partition))
      .flatMap(({ partition, role, bytes, sha256, ranges, unsettled, proof }) => [
        `${partition}  ${role}  ${bytes}  ${sha256}`,
        ...(ranges
          ? [
              `  Only the blocks in use were read: the digest covers ${rangesBytes(ranges)} bytes, and the rest is zeros.`,
            ]
          : []),
        ...(unsettled
          ? [`  NOT COMPLETE at ${rangesText(unsettled)}: the phone did not give the same bytes twice.`]
          : []),
        ...(proof && proof !== 'sha256' ? [`  Proved by ${proofWords[proof]}.`] : []),
      ]),
    '',
    'Files:',
    ...names,
  ];
  return `${lines.join('\n')}\n`;
}

/** For programs, this one included: what brings the set back as it was when its files are imported. */
function contentsOf(set: SetDetail, picked: readonly string[], written: readonly WrittenFile[]): Contents {
  return {
    format: contentsFormat,
    version: 1,
    label: set.label,
    note: set.note,
    phone: { serial: set.serial, maker: set.maker, model: set.model, nickname: set.nickname },
    ...(set.mode && { mode: set.mode }),
    condition: set.condition,
    createdAt: new Date(set.createdAt).toISOString(),
    images: set.images
      .filter(({ partition }) => picked.includes(partition))
      .map(({ partition, kind, role, bytes, sha256, ranges, unsettled, proof }) => ({
        partition,
        ...(kind === 'archive' && { kind }),
        role,
        bytes,
        sha256,
        ...(ranges && { ranges }),
        ...(unsettled && { unsettled }),
        ...(proof && { proof }),
        files: written.filter((file) => file.partition === partition).map(({ name }) => name),
      })),
  };
}

/** The export as one tar archive (POSIX ustar, pax for large files), its files in a folder of the set's name. */
export function exportTar(
  larder: Larder,
  set: SetDetail,
  options: ExportOptions,
  picked: readonly string[],
  passed?: (bytes: number) => void,
): AsyncIterable<Uint8Array> {
  const plain = planExport(larder, set, { ...options, packing: 'none' }, picked);
  const folder = fileNameOf(set.label);
  const mtime = new Date(set.createdAt);
  const tar = tarPack();
  const fill = async () => {
    const written: WrittenFile[] = [];
    for (const file of plain) {
      const { bytes, digests } = digested(file.open(passed));
      const entry = tar.entry({ name: `${folder}/${file.name}`, size: file.bytes, mtime });
      await pipeline(Readable.from(bytes), entry);
      written.push({ name: file.name, partition: file.partition, ...digests() });
    }
    for (const [name, text] of Object.entries(besideFiles(set, picked, written))) {
      tar.entry({ name: `${folder}/${name}`, mtime }, text);
    }
    tar.finalize();
  };
  fill().catch((error: unknown) => tar.destroy(error as Error));
  const bytes = tar as AsyncIterable<Uint8Array>;
  return options.packing === 'none' ? bytes : wrap(options.packing, bytes);
}
