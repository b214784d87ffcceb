import { constants } from 'node:fs';
import { access, readFile, stat, statfs } from 'node:fs/promises';
import { basename } from 'node:path';
import type { ExportPlace } from '@keen-larder/contract/larder/exports.ts';

/** Under these, systems mount the drives that are plugged in (Filesystem Hierarchy Standard 3.0; udisks). */
const driveRoots = /^\/(?:run\/media\/[^/]+|media\/[^/]+|media|mnt)\/[^/]+$/;

/** How the kernel writes blanks and the like in lists of mounts (proc(5)). */
const unescaped = (path: string) =>
  path.replace(/\\([0-7]{3})/g, (_, octal: string) => String.fromCharCode(parseInt(octal, 8)));

/** Drives that are plugged in, by the kernel's list of mounts; none where there is no such list. */
export async function drivesIn(list = '/proc/self/mounts'): Promise<string[]> {
  const text = await readFile(list, 'utf8').catch(() => '');
  const paths = text
    .split('\n')
    .map((line) => unescaped(line.split(' ')[1] ?? ''))
    .filter((path) => driveRoots.test(path));
  return [...new Set(paths)];
}

/**
 * Where exports may go: into the home folder, onto drives that are plugged in, and into folders that the configuration allows; only what
 * can be written to.
 */
export async function exportPlaces(
  home: string,
  folders: readonly string[],
  drives: readonly string[],
): Promise<ExportPlace[]> {
  const wanted = [
    { path: home, name: 'Exports of this computer', kind: 'home' as const },
    ...folders.map((path) => ({ path, name: path, kind: 'folder' as const })),
    ...drives.map((path) => ({ path, name: basename(path), kind: 'drive' as const })),
  ];
  const places: ExportPlace[] = [];
  for (const each of wanted) {
    const freeBytes = await roomIn(each.path);
    if (freeBytes !== undefined) places.push({ ...each, freeBytes });
  }
  return places;
}

/** Undefined where nothing can be written. */
async function roomIn(path: string): Promise<number | undefined> {
  try {
    if (!(await stat(path)).isDirectory()) return undefined;
    await access(path, constants.W_OK);
    const { bavail, bsize } = await statfs(path);
    return bavail * bsize;
  } catch {
    return undefined;
  }
}
