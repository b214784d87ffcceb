import { openFileSystem } from '@keen-larder/core/formats/file-system/open.ts';
import type { FileNode, FileSystem } from '@keen-larder/core/formats/file-system/reading.ts';
import { complain, deviceAt, mayRead, print, resolvePath, type Command, type Process } from '../host.ts';
import { turnsOf } from '../turns.ts';
import { placeOf } from './place.ts';

type Asking = Pick<Process, 'host' | 'uid' | 'cwd'>;

/** What lies at a path; undefined where nothing does, or it is not to be seen. */
export async function fileAt(
  process: Asking,
  path: string,
  isOfLink = false,
): Promise<{ readonly type: FileNode['type'] | 'device'; readonly bytes: number } | undefined> {
  const absolute = resolvePath(process.cwd, path);
  const given = deviceAt(process.host, absolute);
  if (given) return { type: 'device', bytes: given.bytes };
  const handed = process.host.handed.get(absolute);
  if (handed) return { type: 'file', bytes: handed.bytes };
  return turnsOf(process.host).reading(async () => {
    const place = placeOf(process, path);
    if (!place || !isSeen(process, path, place.mount.at)) return undefined;
    const fs = await openFileSystem(place.mount.source);
    return isOfLink ? fs.findSelf(place.within) : fs.find(place.within);
  });
}

const isSeen = ({ uid, cwd }: Asking, path: string, at: string): boolean =>
  mayRead(uid, resolvePath(cwd, path)) || at !== '/data';

/** Names in a folder, sorted. */
export async function namesIn(process: Asking, path: string): Promise<readonly string[]> {
  return turnsOf(process.host).reading(async () => {
    const place = placeOf(process, path);
    if (!place || !isSeen(process, path, place.mount.at)) return [];
    const fs = await openFileSystem(place.mount.source);
    const folder = await fs.find(place.within);
    if (folder?.type !== 'directory') return [];
    return (await fs.list(folder)).map(({ name }) => name).sort();
  });
}

/** Of every file system here. */
const blockBytes = 4096;

/** `du -s -k PATH…`: in kibibytes of whole blocks. */
export const du: Command = async (process) => {
  const paths = process.args.filter((arg) => !arg.startsWith('-'));
  let code = 0;
  for (const path of paths) {
    const place = placeOf(process, path);
    const fs = place && (await openFileSystem(place.mount.source));
    const inode = place && (await fs!.find(place.within));
    if (!inode || !mayRead(process.uid, resolvePath(process.cwd, path))) {
      code = await complain(
        process,
        'du',
        `${path}: ${inode ? 'Permission denied' : 'No such file or directory'}`,
      );
      continue;
    }
    await print(process, `${await kibibytesOf(fs!, inode)}\t${path}\n`);
  }
  return code;
};

async function kibibytesOf(fs: FileSystem, inode: FileNode): Promise<number> {
  let sum = Math.ceil(inode.bytes / blockBytes) * (blockBytes / 1024);
  if (inode.type !== 'directory') return sum;
  for (const { inode: number } of await fs.list(inode)) sum += await kibibytesOf(fs, await fs.inode(number));
  return sum;
}

/** `stat -c FORMAT PATH…`, of links themselves: `%F %u %g %a %C %s %Y %n`, as toybox has them. */
export const stat: Command = async (process) => {
  const [option, format = '', ...paths] = process.args;
  if (option !== '-c' || paths.length === 0)
    return complain(process, 'stat', 'usage: stat -c FORMAT FILE...');
  let code = 0;
  for (const path of paths) {
    const place = placeOf(process, path);
    const fs = place && (await openFileSystem(place.mount.source));
    const inode = place && (await fs!.findSelf(place.within));
    if (inode && (mayRead(process.uid, resolvePath(process.cwd, path)) || place.mount.at !== '/data')) {
      await print(process, await statLine(fs!, inode, path, format, place.within));
      continue;
    }
    const why = inode ? 'Permission denied' : 'No such file or directory';
    code = await complain(process, 'stat', `'${path}': ${why}`);
  }
  return code;
};

/** What SELinux calls a file; `?` where it has no label. */
export async function labelOf(fs: FileSystem, inode: FileNode): Promise<string> {
  const found = (await fs.attributes(inode)).find(({ name }) => name === 'security.selinux');
  return found ? Buffer.from(found.value).toString('latin1').replace(/\0$/, '') : '?';
}

const typeNames: Readonly<Record<string, string>> = {
  file: 'regular file',
  directory: 'directory',
  link: 'symbolic link',
};

/** @param within the path, from the file system's own root on */
async function statLine(
  fs: FileSystem,
  inode: FileNode,
  path: string,
  format: string,
  within: string,
): Promise<string> {
  // Of a link, toybox tells the label of what it leads to.
  const labelled = inode.type === 'link' ? await fs.find(within).catch(() => undefined) : inode;
  const label = labelled ? await labelOf(fs, labelled) : '?';
  const fields: Readonly<Record<string, string>> = {
    u: String(inode.uid),
    g: String(inode.gid),
    a: inode.permissions.toString(8),
    C: label,
    F:
      inode.type === 'file' && inode.bytes === 0
        ? 'regular empty file'
        : (typeNames[inode.type] ?? 'unknown'),
    s: String(inode.bytes),
    Y: String(Math.floor(inode.modifiedAt)),
    n: path,
  };
  return `${format.replace(/%([a-zA-Z])/g, (whole, field: string) => fields[field] ?? whole)}\n`;
}

/** What `find` is asked for. */
interface Wanted {
  readonly paths: readonly string[];
  isWanted(inode: FileNode): boolean;
  /** Folders below folders, at most. */
  readonly mostDepth: number;
  /** With `{}` where the paths go; undefined where they are printed. */
  readonly exec: readonly string[] | undefined;
}

const kinds: Readonly<Record<string, FileNode['type'] | undefined>> = {
  f: 'file',
  d: 'directory',
  l: 'link',
};

/** `find [-H] PATH… [-maxdepth N] [-type f|d|l] [-user UID] [-group GID] [-exec COMMAND… {} +]` */
function wantedOf(args: readonly string[]): Wanted | string {
  const options = args.findIndex((arg) => /^[-(]/.test(arg));
  const end = options < 0 ? args.length : options;
  const tests: ((inode: FileNode) => boolean)[] = [];
  let exec: readonly string[] | undefined;
  let mostDepth = Infinity;
  for (let at = end; at < args.length; at += 2) {
    const [option, value = ''] = [args[at]!, args[at + 1]];
    // Of sockets and pipes these phones have none.
    if (option === '(')
      return { paths: args.slice(0, end), isWanted: () => false, mostDepth, exec: undefined };
    if (option === '-type' && kinds[value]) tests.push(({ type }) => type === kinds[value]);
    else if (option === '-maxdepth' && /^\d+$/.test(value)) mostDepth = Number(value);
    else if (option === '-user') tests.push(({ uid }) => uid === Number(value));
    else if (option === '-group') tests.push(({ gid }) => gid === Number(value));
    else if (option === '-exec' && args.slice(-2).join(' ') === '{} +') {
      exec = args.slice(at + 1, -2);
      break;
    } else return `bad arg '${option}'`;
  }
  const isWanted = (inode: FileNode) => tests.every((test) => test(inode));
  return { paths: args.slice(0, end), isWanted, mostDepth, exec };
}

export const find: Command = async (process) => {
  const wanted = wantedOf(process.args[0] === '-H' ? process.args.slice(1) : process.args);
  if (typeof wanted === 'string') return complain(process, 'find', wanted);
  const { exec, isWanted } = wanted;
  const [, option, format] = exec ?? [];
  const isOfStat = exec?.[0] === 'stat' && option === '-c' && exec.length === 3;
  let code = 0;
  const found: string[] = [];
  await turnsOf(process.host).reading(async () => {
    for (const path of wanted.paths) {
      const place = placeOf(process, path);
      const fs = place && (await openFileSystem(place.mount.source));
      const start = place && (await fs!.find(place.within));
      if (!start || !isSeen(process, path, place.mount.at)) {
        const why = start ? 'Permission denied' : 'No such file or directory';
        code = await complain(process, 'find', `'${path}': ${why}`);
        continue;
      }
      const walk = async (at: string, inode: FileNode, depth: number): Promise<void> => {
        if (isWanted(inode))
          found.push(isOfStat ? await statLine(fs!, inode, at, format!, placeOf(process, at)!.within) : at);
        if (inode.type !== 'directory' || depth === wanted.mostDepth) return;
        const within = at.replace(/\/$/, '');
        for (const { name, inode: number } of await fs!.list(inode))
          await walk(`${within}/${name}`, await fs!.inode(number), depth + 1);
      };
      await walk(path, start, 0);
    }
  });
  if (!exec) await print(process, found.map((path) => `${path}\n`).join(''));
  else if (isOfStat) await print(process, found.join(''));
  else if (found.length > 0 && (await process.exec([...exec, ...found])) !== 0) code = 1;
  return code;
};
