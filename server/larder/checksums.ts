interface Digested {
  readonly partition: string;
  readonly sha256: Buffer;
  readonly md5: Buffer;
}

/** The file that a partition's raw image is exported to. */
export const rawFileName = (partition: string): string => `${partition}.img`;

/** A line as sha256sum and md5sum write and check it, in binary mode (GNU coreutils manual). */
const line = (digest: Buffer, partition: string) => `${digest.toString('hex')} *${rawFileName(partition)}\n`;

export const sha256Sums = (images: readonly Digested[]): string =>
  images.map(({ sha256, partition }) => line(sha256, partition)).join('');

export const md5Sums = (images: readonly Digested[]): string =>
  images.map(({ md5, partition }) => line(md5, partition)).join('');
