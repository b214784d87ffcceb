interface Digested {
  readonly partition: string;
  readonly sha256: Buffer;
}

/** The file that a partition's raw image is exported to. */
export const rawFileName = (partition: string): string => `${partition}.img`;

/** A line as sha256sum and md5sum write and check it, in binary mode (GNU coreutils manual). */
export const checksumLine = (digest: Buffer, name: string): string => `${digest.toString('hex')} *${name}\n`;

/** SHA256SUMS of a set's raw images. */
export const sha256Sums = (images: readonly Digested[]): string =>
  images.map(({ sha256, partition }) => checksumLine(sha256, rawFileName(partition))).join('');
