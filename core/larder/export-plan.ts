import { planSparse, type SparseFile } from '../formats/android-sparse/android-sparse.ts';

/** In which form images leave the larder: as they are, as Android sparse images, or in one tar archive. */
export const exportForms = ['raw', 'sparse', 'tar'] as const;
export type ExportForm = (typeof exportForms)[number];

/** What each file is compressed with. */
export const exportPackings = ['none', 'gzip', 'zstd'] as const;
export type ExportPacking = (typeof exportPackings)[number];

export interface ExportOptions {
  readonly form: ExportForm;
  readonly packing: ExportPacking;
  /** No sparse file is to be larger. */
  readonly splitBytes?: number;
}

/** An image, and which of its chunks are zeros. */
export interface ExportImage {
  readonly partition: string;
  /** An archive of files is one file in every form. */
  readonly isArchive: boolean;
  readonly bytes: number;
  readonly chunkBytes: number;
  readonly zeros: readonly boolean[];
}

/** A file to be written for an image; a sparse image may take several. */
export interface ExportFile {
  readonly partition: string;
  /** Without what the packing adds. */
  readonly name: string;
  /** Before packing. */
  readonly bytes: number;
  /** Undefined for the image as it is. */
  readonly sparse: SparseFile | undefined;
}

export const packingSuffix: Readonly<Record<ExportPacking, string>> = { none: '', gzip: '.gz', zstd: '.zst' };

/** The files of an export, in the order of the images. */
export function exportFiles(
  images: readonly ExportImage[],
  { form, splitBytes }: Pick<ExportOptions, 'form' | 'splitBytes'>,
): ExportFile[] {
  return images.flatMap((image) => {
    const blockBytes = [4096, 512].find((bytes) => image.bytes % bytes === 0);
    // What is not made of whole sectors is no block device's image, and sparse images know only blocks.
    if (form !== 'sparse' || image.isArchive || !blockBytes) return [raw(image)];
    const runs = image.zeros.map((zeros, i) => ({
      zeros,
      blocks: Math.min(image.chunkBytes, image.bytes - i * image.chunkBytes) / blockBytes,
    }));
    const files = planSparse(runs, { blockBytes, ...(splitBytes && { maxBytes: splitBytes }) });
    return files.map((sparse, i) => ({
      partition: image.partition,
      name: `${image.partition}${files.length > 1 ? `-${i + 1}of${files.length}` : ''}.simg`,
      bytes: sparse.bytes,
      sparse,
    }));
  });
}

const raw = ({ partition, isArchive, bytes }: ExportImage): ExportFile => ({
  partition,
  name: `${partition}${isArchive ? '.tar' : '.img'}`,
  bytes,
  sparse: undefined,
});
