import { FormatError } from '@keen-larder/core/bytes/format-error.ts';
import { openFileSystem } from '@keen-larder/core/formats/file-system/open.ts';
import { onePiece } from '@keen-larder/core/bytes/one-piece.ts';
import { IoError } from '../flash/faults.ts';
import { deviceAt, mayRead, userPath, type ShellHost } from './host.ts';

type Found = AsyncIterable<Uint8Array> | string;

/** A file's bytes or a directory's names out of a mounted file system; otherwise the error's text. */
export async function readMounted(
  host: ShellHost,
  path: string,
  uid: number,
  want: 'bytes' | 'list' = 'bytes',
): Promise<Found> {
  const device = deviceAt(host, path);
  if (device) {
    if (uid !== 0) return 'Permission denied';
    return pieces(device.bytes, (at, length) => device.read(at, length));
  }
  const handed = host.handed.get(path);
  if (handed) return pieces(handed.bytes, (at, length) => handed.read(at, length));
  const real = userPath(path);
  const mount = host.mounts
    .filter(({ at }) => real === at || real.startsWith(`${at}/`))
    .sort((a, b) => b.at.length - a.at.length)[0];
  if (!mount) return 'No such file or directory';
  if (!mayRead(uid, path) && mount.at !== '/system') return 'Permission denied';
  try {
    const fs = await openFileSystem(mount.source);
    const inode = await fs.find(real.slice(mount.at.length) || '/');
    if (!inode) return 'No such file or directory';
    if (want === 'bytes') return inode.type === 'file' ? fs.content(inode) : 'Is a directory';
    const names = inode.type === 'directory' ? (await fs.list(inode)).map(({ name }) => name).sort() : [path];
    return onePiece(Buffer.from(names.map((name) => `${name}\n`).join('')));
  } catch (error) {
    if (error instanceof FormatError || error instanceof IoError) return 'I/O error';
    throw error;
  }
}

async function* pieces(bytes: number, read: (at: number, length: number) => Promise<Uint8Array>) {
  for (let at = 0; at < bytes; at += 1 << 20) yield await read(at, Math.min(1 << 20, bytes - at));
}
