import { posix } from 'node:path';
import { onePiece } from '@keen-larder/core/bytes/one-piece.ts';
import type { FileSystem } from '@keen-larder/core/formats/file-system/reading.ts';
import type { Addition, Retouch } from '../../flash/file-tree.ts';
import { complain, type Command, type Process } from '../host.ts';
import { edit } from './place.ts';

const seconds = () => Math.floor(Date.now() / 1000);

/** `rm [-r] [-f] PATH…`; with `-f` what is not there is gone already. */
export const rm: Command = async (process) => {
  const options = process.args.filter((arg) => /^-[rf]+$/.test(arg)).join('');
  const paths = process.args.filter((arg) => !/^-[rf]+$/.test(arg));
  if (paths.length === 0) return options.includes('f') ? 0 : complain(process, 'rm', 'needs a file');
  return edit(process, 'rm', paths, async (fs, within) => {
    const there: string[] = [];
    for (const path of within) {
      const inode = path === '/' ? undefined : await fs.findSelf(path);
      if (!inode && !options.includes('f')) return `${path}: No such file or directory`;
      if (inode?.type === 'directory' && !options.includes('r')) return `${path}: is a directory`;
      if (inode) there.push(path);
    }
    return there.length > 0 ? { removes: (path) => there.includes(path) } : undefined;
  });
};

/** `mv PATH… FOLDER` and `mv PATH NAME`, within one file system. */
export const mv: Command = async (process) => {
  const paths = process.args.filter((arg) => !arg.startsWith('-'));
  if (paths.length < 2) return complain(process, 'mv', 'usage: mv SOURCE... DEST');
  return edit(process, 'mv', paths, async (fs, within) => {
    const last = within.at(-1)!;
    const isIntoFolder = (await fs.find(last))?.type === 'directory';
    if (!isIntoFolder && (within.length > 2 || paths.at(-1)!.endsWith('/')))
      return `bad '${last}': Not a directory`;
    const moves = new Map<string, string>();
    const goes = new Set<string>();
    for (const path of within.slice(0, -1)) {
      const moved = await fs.findSelf(path);
      if (!moved) return `bad '${path}': No such file or directory`;
      const to = isIntoFolder ? `${last === '/' ? '' : last}/${posix.basename(path)}` : last;
      const there = await fs.findSelf(to);
      if (there && (there.type === 'directory' || moved.type === 'directory'))
        return `bad '${to}': File exists`;
      if (there) goes.add(to);
      if (!(await fs.find(posix.dirname(to)))) return `bad '${to}': No such file or directory`;
      moves.set(path, to);
    }
    return { moves, removes: (path) => goes.has(path) };
  });
};

/** Shared storage is of the media service, whoever makes something there. */
const makerOf = (path: string) => (path.startsWith('/media/') ? 1023 : 0);
const folder = (path: string, permissions: number): Addition => ({
  ...{ path, type: 'directory', permissions, modifiedAt: seconds(), attributes: [] },
  ...{ uid: makerOf(path), gid: makerOf(path) },
});

/** `mkdir [-p] [-m MODE] PATH…` */
export const mkdir: Command = async (process) => {
  const args = [...process.args];
  const withParents = args[0] === '-p' && args.shift() !== undefined;
  const mode = args[0] === '-m' ? Number.parseInt(args.splice(0, 2)[1] ?? '', 8) : 0o755;
  if (args.length === 0 || !Number.isInteger(mode))
    return complain(process, 'mkdir', 'usage: mkdir [-p] [-m MODE] DIR...');
  return edit(process, 'mkdir', args, async (fs, within) => {
    const adds: Addition[] = [];
    for (const path of within) {
      if (!withParents && (await fs.findSelf(path))) return `'${path}': File exists`;
      if (!withParents && !(await fs.find(posix.dirname(path))))
        return `'${path}': No such file or directory`;
      const steps = path.split('/').filter(Boolean);
      for (let depth = 1; depth <= steps.length; depth++) {
        const each = `/${steps.slice(0, depth).join('/')}`;
        if ((await fs.find(each)) || adds.some((add) => add.path === each)) continue;
        // Those above it are as usual.
        adds.push(folder(each, depth === steps.length ? mode : 0o755));
      }
    }
    return adds.length > 0 ? { adds } : undefined;
  });
};

/** Gives files and folders other owners, modes or labels. */
async function retouch(
  process: Process,
  name: string,
  paths: readonly string[],
  { isOfLinks, goesDown }: { readonly isOfLinks: boolean; readonly goesDown: boolean },
  by: Retouch,
): Promise<number> {
  return edit(process, name, paths, async (fs: FileSystem, within) => {
    for (const path of within) {
      const inode = await (isOfLinks ? fs.findSelf(path) : fs.find(path));
      if (!inode) return `${path}: No such file or directory`;
    }
    const wanted = new Set(within);
    const isWithin = (path: string) => goesDown && within.some((each) => path.startsWith(`${each}/`));
    return { retouches: (path) => (wanted.has(path) || isWithin(path) ? by : undefined) };
  });
}

/** Options of one letter each, and what stands behind them. */
function lettersOf(args: readonly string[]): { readonly letters: string; readonly rest: readonly string[] } {
  const count = args.findIndex((arg) => !/^-[hR]+$/.test(arg));
  const at = count < 0 ? args.length : count;
  return { letters: args.slice(0, at).join(''), rest: args.slice(at) };
}

const retouching =
  (name: string, usage: string, of: (value: string) => Retouch | undefined): Command =>
  (process) => {
    const { letters, rest } = lettersOf(process.args);
    const [value = '', ...paths] = rest;
    const by = of(value);
    if (!by || paths.length === 0) return complain(process, name, usage);
    const how = { isOfLinks: letters.includes('h'), goesDown: letters.includes('R') };
    return retouch(process, name, paths, how, by);
  };

/** `chown [-h] [-R] UID[:GID] PATH…` */
export const chown = retouching('chown', 'usage: chown [-hR] UID[:GID] PATH...', (owner) => {
  const [uid, gid] = owner.split(':').map(Number);
  if (!Number.isInteger(uid)) return undefined;
  return { uid: uid!, ...(gid !== undefined && { gid }) };
});

/** `chgrp [-h] [-R] GID PATH…` */
export const chgrp = retouching('chgrp', 'usage: chgrp [-hR] GID PATH...', (gid) =>
  /^\d+$/.test(gid) ? { gid: Number(gid) } : undefined,
);

/** `chmod [-R] MODE PATH…`, in octal digits. */
export const chmod = retouching('chmod', 'usage: chmod [-R] MODE PATH...', (mode) =>
  /^[0-7]+$/.test(mode) ? { permissions: Number.parseInt(mode, 8) } : undefined,
);

/** `chcon [-h] [-R] LABEL PATH…` */
export const chcon = retouching('chcon', 'usage: chcon [-hR] CONTEXT FILE...', (label) =>
  label === '' ? undefined : { label },
);

/** Makes a file, or writes at the end of one. @param bytes what comes once there is room */
export async function writeFile(
  process: Process,
  path: string,
  bytes: () => Uint8Array,
  isAtEnd: boolean,
): Promise<number> {
  const written = bytes();
  if (process.host.flash.faults.isFull && written.length > 0)
    return complain(process, 'sh', `${path}: No space left on device`);
  return edit(process, 'sh', [path], async (fs, [within]) => {
    const there = await fs.findSelf(within!);
    if (there && there.type !== 'file') return `can't create ${path}: Is a directory`;
    if (!(await fs.find(posix.dirname(within!)))) return `can't create ${path}: No such file or directory`;
    const before: Uint8Array[] = [];
    if (isAtEnd && there) for await (const part of fs.content(there)) before.push(part.slice());
    const whole = Buffer.concat([...before, written]);
    const { permissions, uid, gid } = there ?? { permissions: 0o644, uid: 0, gid: 0 };
    const attributes = there ? await fs.attributes(there) : [];
    return {
      adds: [
        {
          ...{ path: within!, type: 'file', permissions, uid, gid, attributes, modifiedAt: seconds() },
          ...{ bytes: whole.length, content: onePiece(whole) },
        },
      ],
    };
  });
}
