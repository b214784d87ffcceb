import { viewOf } from '../../bytes/layout.ts';
import { blockBytes, checkpoint, f2fsCrc, inode } from './layouts.ts';

/** An inode's block whose file was last changed at another time. @param modifiedAt seconds since 1970 */
export function withModified(node: Uint8Array, modifiedAt: number): Uint8Array {
  const out = Uint8Array.from(node);
  for (const time of ['i_mtime', 'i_ctime'] as const)
    viewOf(out).setBigInt64(inode.offsetOf(time), BigInt(modifiedAt), true);
  return out;
}

/** The first or last block of a checkpoint with its checksum at the end, as the checkpoint after it begins and ends. */
export function withNextVersion(head: Uint8Array): Uint8Array {
  const out = Uint8Array.from(head);
  const { version } = checkpoint.read(out);
  viewOf(out).setBigUint64(checkpoint.offsetOf('version'), version + 1n, true);
  viewOf(out).setUint32(blockBytes - 4, f2fsCrc(out.subarray(0, blockBytes - 4)), true);
  return out;
}
