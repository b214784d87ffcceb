// squashfs 4.0: kernel, fs/squashfs/squashfs_fs.h. Told, not looked into: no library that is kept up reads it without a mount.

const compressions = ['', 'gzip', 'lzma', 'lzo', 'xz', 'lz4', 'zstd'];

/** What a squashfs says of itself. */
export interface Squashfs {
  readonly inodes: number;
  readonly blockBytes: number;
  readonly compression: string;
  readonly version: string;
  /** Seconds since 1970. */
  readonly madeAt: number;
  readonly usedBytes: number;
}

/** By its superblock; undefined for anything else. */
export function readSquashfs(head: Uint8Array): Squashfs | undefined {
  if (head.length < 96 || head[0] !== 0x68 || head[1] !== 0x73 || head[2] !== 0x71 || head[3] !== 0x73)
    return undefined;
  const view = new DataView(head.buffer, head.byteOffset, head.byteLength);
  const [blockBytes, log, major] = [
    view.getUint32(12, true),
    view.getUint16(22, true),
    view.getUint16(28, true),
  ];
  if (major !== 4 || log < 12 || log > 20 || blockBytes !== 2 ** log) return undefined;
  const compression = view.getUint16(20, true);
  return {
    inodes: view.getUint32(4, true),
    blockBytes,
    compression: compressions[compression] || `number ${compression}`,
    version: `${major}.${view.getUint16(30, true)}`,
    madeAt: view.getUint32(8, true),
    usedBytes: Number(view.getBigUint64(40, true)),
  };
}
