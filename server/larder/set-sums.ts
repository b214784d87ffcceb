import { checksumLine } from '@keen-larder/core/formats/checksum-files/checksum-files.ts';

interface Digested {
  readonly partition: string;
  readonly kind: string;
  readonly sha256: Buffer;
}

/** The file that an image is exported to as it is. */
export const plainFileName = ({ partition, kind }: Pick<Digested, 'partition' | 'kind'>): string =>
  `${partition}${kind === 'archive' ? '.tar' : '.img'}`;

/** SHA256SUMS of a set's images as they are. */
export const sha256Sums = (images: readonly Digested[]): string =>
  images.map((image) => checksumLine(image.sha256, plainFileName(image))).join('');
