import { chmodSync, closeSync, fsyncSync, mkdirSync, openSync, readdirSync, statSync } from 'node:fs';
import { dirname, join } from 'node:path';

/** For nobody but the owner. */
const ownFolder = 0o700;
const ownFile = 0o600;

/**
 * Makes the folder of the larder and closes it to other users of the computer, whatever it was before; what this program makes
 * from now on is closed to them as well.
 */
export function openHome(home: string): void {
  process.umask(0o077);
  mkdirSync(home, { recursive: true, mode: ownFolder });
  syncParent(home);
  closeToOthers(home, ownFolder);
  for (const name of readdirSync(home)) {
    const path = join(home, name);
    if (name.startsWith('catalogue') || name.endsWith('.sqlite') || name.endsWith('.pem'))
      closeToOthers(path, ownFile);
    else if (['shelf', 'logs', 'exports', 'imports'].includes(name)) closeToOthers(path, ownFolder);
  }
}

/** A home that was just made is there for good, as far as the folder above may be opened. */
function syncParent(home: string): void {
  let folder: number;
  try {
    folder = openSync(dirname(home), 'r');
  } catch {
    return;
  }
  try {
    fsyncSync(folder);
  } finally {
    closeSync(folder);
  }
}

function closeToOthers(path: string, mode: number): void {
  if ((statSync(path).mode & 0o077) === 0) return;
  try {
    chmodSync(path, mode);
  } catch (error) {
    // Some file systems have no owners, or the folder is another's: the way to it is closed further up, or is not ours.
    if (!['EPERM', 'ENOTSUP', 'EROFS'].includes((error as NodeJS.ErrnoException).code ?? '')) throw error;
  }
}
