import { BuildError } from '@keen-larder/core/formats/file-system/building.ts';
import { openFileSystem } from '@keen-larder/core/formats/file-system/open.ts';
import type { FileSystem } from '@keen-larder/core/formats/file-system/reading.ts';
import { editTree, type TreeEdit } from '../../flash/file-tree.ts';
import { complain, mayWrite, resolvePath, userPath, type Mount, type Process } from '../host.ts';
import { turnsOf } from '../turns.ts';

/** A path of a mounted file system. */
export interface Place {
  readonly mount: Mount;
  /** From the file system's own root on. */
  readonly within: string;
}

/** The mounted file system that a path lies in, and the path within it. */
export function placeOf(process: Pick<Process, 'host' | 'cwd'>, path: string): Place | undefined {
  const absolute = userPath(resolvePath(process.cwd, path));
  const mount = process.host.mounts
    .filter(({ at }) => absolute === at || absolute.startsWith(`${at}/`))
    .sort((a, b) => b.at.length - a.at.length)[0];
  return mount && { mount, within: absolute.slice(mount.at.length) || '/' };
}

/** Does one edit on the file system that all paths lie in. */
export async function edit(
  process: Process,
  name: string,
  paths: readonly string[],
  work: (fs: FileSystem, within: readonly string[]) => Promise<TreeEdit | string | undefined>,
): Promise<number> {
  const places = paths.map((path) => placeOf(process, path));
  const [first] = places;
  if (!first || places.some((place) => place?.mount !== first.mount))
    return complain(process, name, `${paths.join(' ')}: No such file or directory`);
  if (!paths.every((path) => mayWrite(process.uid, resolvePath(process.cwd, path))))
    return complain(process, name, `${paths[0]}: Permission denied`);
  if (!first.mount.writable) return complain(process, name, `${paths[0]}: Read-only file system`);
  const { source } = first.mount;
  return turnsOf(process.host).changing(async () => {
    try {
      const change = await work(
        await openFileSystem(source),
        places.map((place) => place!.within),
      );
      if (typeof change === 'string') return await complain(process, name, change);
      if (change) await editTree(source, change);
      return 0;
    } catch (error) {
      if (error instanceof BuildError) return complain(process, name, error.message);
      throw error;
    }
  });
}
