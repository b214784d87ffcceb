import type { FileHandle } from 'node:fs/promises';

/** A write that the disk took nothing of, though it reported no error. */
const refused = () => Object.assign(new Error('the disk takes no more bytes'), { code: 'ENOSPC' });

/**
 * Writes all bytes: one call may write fewer than it was given (POSIX, write(2)), as on a disk that is full for a moment.
 * @param position in the file; left out to append
 * @throws Error with the file system's own code when the disk does not take them all
 */
export async function writeWhole(file: FileHandle, bytes: Uint8Array, position?: number): Promise<void> {
  for (let done = 0; done < bytes.length;) {
    const at = position === undefined ? null : position + done;
    const { bytesWritten } = await file.write(bytes, done, bytes.length - done, at);
    if (bytesWritten === 0) throw refused();
    done += bytesWritten;
  }
}

/** Appends all pieces in as few calls as the disk allows. @throws as `writeWhole` */
export async function writeAllWhole(file: FileHandle, pieces: readonly Uint8Array[]): Promise<void> {
  let left = pieces.filter(({ length }) => length > 0);
  while (left.length > 0) {
    let { bytesWritten } = await file.writev(left);
    if (bytesWritten === 0) throw refused();
    let done = 0;
    while (done < left.length && bytesWritten >= left[done]!.length) bytesWritten -= left[done++]!.length;
    left = left.slice(done);
    if (left[0] && bytesWritten > 0) left[0] = left[0].subarray(bytesWritten);
  }
}
