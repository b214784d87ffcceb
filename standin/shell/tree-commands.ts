import { posix } from 'node:path';
import { openFileSystem } from '@keen-larder/core/formats/file-system/open.ts';
import type { FileNode, FileSystem } from '@keen-larder/core/formats/file-system/reading.ts';
import { BuildError } from '@keen-larder/core/formats/file-system/building.ts';
import { readSuperblock } from '@keen-larder/core/formats/ext4/ext4.ts';
import { F2fs } from '@keen-larder/core/formats/f2fs/f2fs.ts';
import { editTree, formatDevice, type Addition } from '../flash/file-tree.ts';
import {
  complain,
  deviceAt,
  print,
  resolvePath,
  mayRead,
  userPath,
  type Command,
  type Mount,
  type Process,
} from './host.ts';
import { turnsOf } from './turns.ts';

/** A path of a mounted file system. */
export interface Place {
  readonly mount: Mount;
  /** From the file system's own root on. */
  readonly within: string;
}

/** The mounted file system that a path lies in, and the path within it. */
export function placeOf(process: Process, path: string): Place | undefined {
  const absolute = userPath(resolvePath(process.cwd, path));
  const mount = process.host.mounts
    .filter(({ at }) => absolute === at || absolute.startsWith(`${at}/`))
    .sort((a, b) => b.at.length - a.at.length)[0];
  return mount && { mount, within: absolute.slice(mount.at.length) || '/' };
}

/** Does one edit on the file system that all paths lie in. */
async function edit(
  process: Process,
  name: string,
  paths: readonly string[],
  work: (fs: FileSystem, within: readonly string[]) => Promise<Parameters<typeof editTree>[1] | string>,
): Promise<number> {
  const places = paths.map((path) => placeOf(process, path));
  const [first] = places;
  if (!first || places.some((place) => place?.mount !== first.mount))
    return complain(process, name, `${paths.join(' ')}: No such file or directory`);
  if (process.uid !== 0) return complain(process, name, `${paths[0]}: Permission denied`);
  if (!first.mount.writable) return complain(process, name, `${paths[0]}: Read-only file system`);
  const { source } = first.mount;
  return turnsOf(process.host).changing(async () => {
    try {
      const change = await work(
        await openFileSystem(source),
        places.map((place) => place!.within),
      );
      if (typeof change === 'string') return await complain(process, name, change);
      await editTree(source, change);
      return 0;
    } catch (error) {
      if (error instanceof BuildError) return complain(process, name, error.message);
      throw error;
    }
  });
}

/** `rm -rf PATH…`; what is not there is gone already. */
export const rm: Command = async (process) => {
  const [option, ...paths] = process.args;
  if (option !== '-rf' || paths.length === 0) return complain(process, 'rm', 'usage: rm -rf PATH...');
  return edit(process, 'rm', paths, async (fs, within) => {
    const there: string[] = [];
    for (const path of within) if (path !== '/' && (await fs.findSelf(path))) there.push(path);
    return { removes: (path) => there.includes(path) };
  });
};

/** `mv PATH… FOLDER`, within one file system. */
export const mv: Command = async (process) => {
  const paths = process.args.filter((arg) => !arg.startsWith('-'));
  if (paths.length < 2) return complain(process, 'mv', 'usage: mv SOURCE... DEST');
  return edit(process, 'mv', paths, async (fs, within) => {
    const folder = within.at(-1)!;
    if ((await fs.find(folder))?.type !== 'directory') return `bad '${folder}': Not a directory`;
    const moves = new Map<string, string>();
    for (const path of within.slice(0, -1)) {
      if (!(await fs.findSelf(path))) return `bad '${path}': No such file or directory`;
      const to = `${folder === '/' ? '' : folder}/${posix.basename(path)}`;
      if (await fs.findSelf(to)) return `bad '${to}': File exists`;
      moves.set(path, to);
    }
    return { moves };
  });
};

/** `mkdir -p [-m MODE] PATH…` */
export const mkdir: Command = async (process) => {
  const { args } = process;
  const mode = args[1] === '-m' ? Number.parseInt(args[2] ?? '', 8) : 0o755;
  const paths = args.slice(args[1] === '-m' ? 3 : 1);
  if (args[0] !== '-p' || paths.length === 0 || !Number.isInteger(mode))
    return complain(process, 'mkdir', 'usage: mkdir -p [-m MODE] DIR...');
  return edit(process, 'mkdir', paths, async (fs, within) => {
    const adds: Addition[] = [];
    for (const path of within) {
      const steps = path.split('/').filter(Boolean);
      for (let depth = 1; depth <= steps.length; depth++) {
        const each = `/${steps.slice(0, depth).join('/')}`;
        if ((await fs.find(each)) || adds.some((add) => add.path === each)) continue;
        adds.push({
          path: each,
          type: 'directory',
          // Those above it are as usual.
          permissions: depth === steps.length ? mode : 0o755,
          uid: 0,
          gid: 0,
          modifiedAt: Math.floor(Date.now() / 1000),
          attributes: [],
        });
      }
    }
    return { adds };
  });
};

/** `chown [-h] UID:GID PATH…` of directories and links. */
export const chown: Command = async (process) => {
  const isOfLinks = process.args[0] === '-h';
  const [owner = '', ...paths] = process.args.slice(isOfLinks ? 1 : 0);
  const [uid, gid] = owner.split(':').map(Number);
  if (!Number.isInteger(uid) || !Number.isInteger(gid) || paths.length === 0)
    return complain(process, 'chown', 'usage: chown UID:GID PATH...');
  return edit(process, 'chown', paths, async (fs, within) => {
    const adds: Addition[] = [];
    for (const path of within) {
      const inode = await (isOfLinks ? fs.findSelf(path) : fs.find(path));
      if (inode?.type === 'link') {
        const target = await fs.linkTarget(inode);
        const { permissions, modifiedAt } = inode;
        const attributes = await fs.attributes(inode);
        adds.push({ path, type: 'link', target, permissions, uid: uid!, gid: gid!, modifiedAt, attributes });
        continue;
      }
      if (inode?.type !== 'directory') return `${path}: No such file or directory`;
      const { permissions, modifiedAt } = inode;
      const attributes = await fs.attributes(inode);
      adds.push({ path, type: 'directory', permissions, uid: uid!, gid: gid!, modifiedAt, attributes });
    }
    return { adds };
  });
};

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
  const label = (labelled ? await fs.attributes(labelled) : []).find(
    ({ name }) => name === 'security.selinux',
  );
  const fields: Readonly<Record<string, string>> = {
    u: String(inode.uid),
    g: String(inode.gid),
    a: inode.permissions.toString(8),
    C: label ? Buffer.from(label.value).toString('latin1').replace(/\0$/, '') : '?',
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

/** `find -H PATH… [-type f] -exec stat -c FORMAT '{}' +`; of sockets and pipes, which these phones have none of, nothing. */
export const find: Command = async (process) => {
  const args = process.args[0] === '-H' ? process.args.slice(1) : process.args;
  const options = args.findIndex((arg) => /^[-(]/.test(arg));
  const paths = args.slice(0, options);
  if (args.slice(options).join(' ') === '( -type s -o -type p -o -type b -o -type c )') return 0;
  const isOfFiles = args[options] === '-type' && args[options + 1] === 'f';
  const [, command, , format, ...end] = args.slice(isOfFiles ? options + 2 : options);
  if (options < 1 || command !== 'stat' || !format || end.join(' ') !== '{} +')
    return complain(process, 'find', `bad arg '${args[options] ?? ''}'`);
  let code = 0;
  for (const path of paths) {
    const place = placeOf(process, path);
    const fs = place && (await openFileSystem(place.mount.source));
    const start = place && (await fs!.find(place.within));
    if (!start || (!mayRead(process.uid, resolvePath(process.cwd, path)) && place.mount.at === '/data')) {
      const why = start ? 'Permission denied' : 'No such file or directory';
      code = await complain(process, 'find', `'${path}': ${why}`);
      continue;
    }
    const lines: string[] = [];
    const walk = async (at: string, inode: FileNode): Promise<void> => {
      if (!isOfFiles || inode.type === 'file')
        lines.push(await statLine(fs!, inode, at, format, placeOf(process, at)!.within));
      if (inode.type !== 'directory') return;
      for (const { name, inode: number } of await fs!.list(inode))
        await walk(`${at}/${name}`, await fs!.inode(number));
    };
    await walk(path, start);
    await print(process, lines.join(''));
  }
  return code;
};

/** `chcon LABEL PATH…` */
export const chcon: Command = async (process) => {
  const [label = '', ...paths] = process.args;
  if (paths.length === 0) return complain(process, 'chcon', 'usage: chcon CONTEXT FILE...');
  return edit(process, 'chcon', paths, async (fs, within) => {
    const adds: Addition[] = [];
    for (const path of within) {
      const inode = await fs.findSelf(path);
      if (!inode) return `${path}: No such file or directory`;
      const { type, permissions, uid, gid, modifiedAt, bytes } = inode;
      if (type !== 'file' && type !== 'directory') continue;
      const others = (await fs.attributes(inode)).filter(({ name }) => name !== 'security.selinux');
      const attributes = [
        ...others,
        { name: 'security.selinux', value: Buffer.from(`${label}\0`, 'latin1') },
      ];
      adds.push({
        ...{ path, type, permissions, uid, gid, modifiedAt, attributes },
        ...(type === 'file' && { bytes, content: fs.content(inode) }),
      });
    }
    return { adds };
  });
};

/** `df -k PATH`, in kibibytes. */
export const df: Command = async (process) => {
  const path = process.args.at(-1) ?? '/';
  const place = placeOf(process, path);
  if (!place) return complain(process, 'df', `${path}: No such file or directory`);
  const { source } = place.mount;
  // Of what is only read nothing is free.
  const whole = { blockBytes, blocks: Math.floor(source.bytes / blockBytes), freeBlocks: 0 };
  const fs = await openFileSystem(source);
  const { blocks, freeBlocks, ...sizes } =
    fs.format === 'ext4' ? await readSuperblock(source) : fs instanceof F2fs ? roomOf(fs) : whole;
  const kibibytes = (count: number) => (count * sizes.blockBytes) / 1024;
  const isFull = process.host.flash.faults.isFull && place.mount.at === '/data';
  const [all, free] = [kibibytes(blocks), isFull ? 0 : kibibytes(freeBlocks)];
  const share = Math.ceil(((all - free) / all) * 100);
  await print(
    process,
    `Filesystem 1K-blocks Used Available Use% Mounted on\n${place.mount.device} ${all} ${all - free} ${free} ${share}% ${place.mount.at}\n`,
  );
  return 0;
};

/** What an f2fs says of its room: blocks for its user, and those that nothing lies in. */
function roomOf({ superblock: { blockBytes }, checkpoint: { userBlocks, validBlocks } }: F2fs) {
  return { blockBytes, blocks: userBlocks, freeBlocks: userBlocks - validBlocks };
}

/** `mke2fs -t ext4 [-F] [-q] [-b 4096] NODE` */
export const mke2fs: Command = (process) =>
  process.args.includes('-t') && process.args.includes('ext4')
    ? makeFileSystem(process, 'mke2fs', 'ext4')
    : complain(process, 'mke2fs', 'usage: mke2fs -t ext4 NODE');

/** `make_f2fs [-g android] NODE` */
export const makeF2fs: Command = (process) => makeFileSystem(process, 'make_f2fs', 'f2fs');

async function makeFileSystem(process: Process, name: string, format: 'ext4' | 'f2fs'): Promise<number> {
  const { args, host, uid } = process;
  const node = args.at(-1) ?? '';
  const device = deviceAt(host, node);
  if (!device) return complain(process, name, `${node}: No such file or directory`);
  if (uid !== 0) return complain(process, name, `${node}: Permission denied`);
  // The same partition may be mounted under another of its names.
  const isMounted = host.mounts.some((mount) => {
    const other = deviceAt(host, mount.device);
    return mount.at === '/data' && other?.bytes === device.bytes;
  });
  if (isMounted) return complain(process, name, `${node} is mounted; will not make a filesystem here!`);
  await turnsOf(host).changing(() => formatDevice(device, format));
  return 0;
}
