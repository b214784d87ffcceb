import { posix } from 'node:path';
import { pack, type Header, type Pack } from 'tar-stream';
import { openFileSystem } from '@keen-larder/core/formats/file-system/open.ts';
import type { FileNode, FileSystem } from '@keen-larder/core/formats/file-system/reading.ts';
import { complain, mayRead, mayWrite, print, type Command, type Process } from '../host.ts';
import { placeOf, type Place } from './place.ts';
import { turnsOf } from '../turns.ts';
import { unpackFolder } from './untar.ts';

interface Options {
  readonly unpacks: boolean;
  readonly folder: string;
  readonly names: readonly string[];
  readonly excludes: readonly string[];
  readonly withLabels: boolean;
}

const usage = [
  'usage: tar [-cxt] [-f FILE] [-C DIR] [--exclude=PATTERN] [--numeric-owner] [--selinux] FILE...',
  '',
].join('\n');

/** Packs a folder of a mounted file system, or unpacks into one, with owners, modes, times, links and extended attributes. */
export const tar: Command = async (process) => {
  if (process.args.includes('--help')) {
    await print(process, usage);
    return 0;
  }
  const options = optionsOf(process.args);
  if (typeof options === 'string') return complain(process, 'tar', options);
  const place = placeOf(process, options.folder);
  if (!place) return complain(process, 'tar', `${options.folder}: No such file or directory`);
  const isAllowed = options.unpacks
    ? mayWrite(process.uid, `${options.folder}/.`)
    : mayRead(process.uid, options.folder);
  if (!isAllowed) return complain(process, 'tar', `${options.folder}: Permission denied`);
  return options.unpacks
    ? unpackFolder(process, place)
    : turnsOf(process.host).reading(() => packFolder(process, place, options));
};

function optionsOf(args: readonly string[]): Options | string {
  let folder = '/';
  const excludes: string[] = [];
  const rest: string[] = [];
  for (let i = 0; i < args.length; i++) {
    const arg = args[i]!;
    if (arg === '-C') folder = args[++i] ?? '';
    else if (arg === '-f') {
      if (args[++i] !== '-') return 'only standard streams can be used';
    } else if (arg.startsWith('--exclude=')) excludes.push(arg.slice('--exclude='.length));
    else if (['-c', '-x', '-p', '--numeric-owner', '--selinux'].includes(arg)) continue;
    else if (arg.startsWith('-')) return `Unknown option '${arg}'`;
    else rest.push(arg);
  }
  const unpacks = args.includes('-x');
  if (unpacks === args.includes('-c')) return 'needs one of -c and -x';
  if (!unpacks && rest.length === 0) return 'empty archive';
  return {
    unpacks,
    folder,
    names: rest,
    excludes,
    withLabels: args.includes('--selinux'),
  };
}

/** A `*` stands for anything, slashes as well. */
const isLike = (path: string, pattern: string): boolean =>
  pattern.endsWith('*') ? path.startsWith(pattern.slice(0, -1)) : path === pattern;

async function packFolder(process: Process, { mount, within }: Place, options: Options): Promise<number> {
  const fs = await openFileSystem(mount.source);
  const root = await fs.find(within);
  if (root?.type !== 'directory')
    return complain(process, 'tar', `${options.folder}: No such file or directory`);
  const archive = pack();
  const written = (async () => {
    for await (const part of archive) await process.out(part);
  })();
  const linked = new Map<number, string>();
  const add = async (path: string, inode: FileNode): Promise<void> => {
    if (options.excludes.some((pattern) => isLike(path, pattern))) return;
    await addEntry(archive, fs, path, inode, linked, options);
    if (inode.type !== 'directory') return;
    const names = (await fs.list(inode)).sort((a, b) => (a.name < b.name ? -1 : 1));
    for (const { name, inode: number } of names) await add(`${path}/${name}`, await fs.inode(number));
  };
  // When nobody takes what is packed, packing never ends.
  let code = 0;
  const addAll = async () => {
    for (const name of options.names) {
      const inode = name === '.' ? root : await fs.findSelf(posix.join(within, name));
      if (inode) await add(name, inode);
      else code = await complain(process, 'tar', `${name}: No such file or directory`);
    }
    archive.finalize();
  };
  await Promise.race([addAll(), written]);
  await written;
  return code;
}

async function addEntry(
  archive: Pack,
  fs: FileSystem,
  path: string,
  inode: FileNode,
  linked: Map<number, string>,
  { withLabels }: Options,
): Promise<void> {
  const attributes = await fs.attributes(inode);
  const pax: Record<string, string> = {};
  for (const { name, value } of attributes) {
    const text = Buffer.from(value).toString('latin1');
    if (withLabels && name === 'security.selinux') pax['RHT.security.selinux'] = text.replace(/\0$/, '');
  }
  const header = {
    name: inode.type === 'directory' ? `${path}/` : path,
    mode: inode.permissions,
    uid: inode.uid,
    gid: inode.gid,
    mtime: new Date(inode.modifiedAt * 1000),
    ...(Object.keys(pax).length > 0 && { pax }),
  };
  const put = (over: Partial<Header>) =>
    new Promise<void>((resolve, reject) =>
      archive.entry({ ...header, ...over }, (error) => (error ? reject(error) : resolve())),
    );
  const first = linked.get(inode.number);
  if (inode.type === 'directory') return put({ type: 'directory' });
  if (inode.type === 'link') return put({ type: 'symlink', linkname: await fs.linkTarget(inode) });
  if (inode.type !== 'file') return;
  if (first) return put({ type: 'link', linkname: first });
  if (inode.links > 1) linked.set(inode.number, path);
  await new Promise<void>((resolve, reject) => {
    const entry = archive.entry({ ...header, type: 'file', size: inode.bytes }, (error) =>
      error ? reject(error) : resolve(),
    );
    void (async () => {
      for await (const part of fs.content(inode)) {
        if (!entry.write(Buffer.from(part))) await new Promise((go) => entry.once('drain', go));
      }
      entry.end();
    })().catch(reject);
  });
}
