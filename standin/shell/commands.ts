import { createHash } from 'node:crypto';
import type { ByteSource } from '@keen-larder/core/bytes/source.ts';
import { openFileSystem } from '@keen-larder/core/formats/file-system/open.ts';
import { IoError } from '../flash/faults.ts';
import { bu } from '../packages/bu.ts';
import { am, cmd, pm, ps } from '../packages/commands.ts';
import { settings, telecom } from '../packages/home-commands.ts';
import { dd } from './dd.ts';
import { readMounted } from './files.ts';
import { deviceDigest, digestOf, streamDigest } from '../flash/content-digests.ts';
import {
  complain,
  deviceAt,
  nodeOf,
  print,
  resolvePath,
  type Command,
  type Process,
  type ShellHost,
} from './host.ts';
import { gzip } from './gzip.ts';
import { content, dumpsys, service } from './service-commands.ts';
import { cut, grep, head, sed, sort, tail, wc } from './tools/text.ts';
import { unzip } from './tools/unzip.ts';
import { chcon, chgrp, chmod, chown, mkdir, mv, rm } from './tree/change.ts';
import { du, find, labelOf, stat } from './tree/look.ts';
import { placeOf } from './tree/place.ts';
import { df, makeF2fs, mke2fs } from './tree/room.ts';
import { tar } from './tree/tar.ts';
import { textOf } from './language/input.ts';

const cat: Command = async (process) => {
  let code = 0;
  if (process.args.length === 0) for await (const part of process.stdin) await process.out(part);
  for (const given of process.args) {
    const path = resolvePath(process.cwd, given);
    const text = await virtualFile(process, path);
    if (text !== undefined) {
      await print(process, text);
      continue;
    }
    const found = await readMounted(process.host, path, process.uid);
    if (typeof found === 'string') code = await complain(process, 'cat', `${given}: ${found}`);
    else for await (const part of found) await process.out(part);
  }
  return code;
};

/** What is mounted stays so when its bytes are damaged meanwhile. */
const kindOf = async (source: ByteSource): Promise<string> =>
  (await openFileSystem(source).catch(() => undefined))?.format ?? 'ext4';

/** Files that the kernel makes up. */
async function virtualFile({ host }: Process, path: string): Promise<string | undefined> {
  const { percent, charging } = host.battery();
  switch (path) {
    case '/proc/mounts':
      return [
        'rootfs / rootfs ro,seclabel 0 0',
        'tmpfs /dev tmpfs rw,seclabel,nosuid,relatime,mode=755 0 0',
        ...(await Promise.all(
          host.mounts.map(
            async ({ device, at, writable, source }) =>
              `${device} ${at} ${await kindOf(source)} ${writable ? 'rw' : 'ro'},seclabel,relatime 0 0`,
          ),
        )),
        '',
      ].join('\n');
    case '/proc/uptime': {
      const seconds = (Date.now() - host.startedAt) / 1000;
      return `${seconds.toFixed(2)} ${(seconds * 0.9).toFixed(2)}\n`;
    }
    case '/sys/class/power_supply/battery/capacity':
      return `${percent}\n`;
    case '/sys/class/power_supply/battery/status':
      return charging ? 'Charging\n' : 'Discharging\n';
    default:
      return undefined;
  }
}

const getprop: Command = async (process) => {
  const { properties } = process.host;
  const [name] = process.args;
  if (name) await print(process, `${properties[name] ?? ''}\n`);
  else {
    const lines = Object.entries(properties).sort(([a], [b]) => (a < b ? -1 : 1));
    await print(process, lines.map(([key, value]) => `[${key}]: [${value}]\n`).join(''));
  }
  return 0;
};

const id: Command = async (process) => {
  const root = process.uid === 0;
  if (process.args[0] === '-u') await print(process, `${process.uid}\n`);
  else
    await print(
      process,
      root
        ? 'uid=0(root) gid=0(root) context=u:r:su:s0\n'
        : 'uid=2000(shell) gid=2000(shell) context=u:r:shell:s0\n',
    );
  return 0;
};

/** `su -c SCRIPT` and `su 0 SCRIPT`, when the system has it. */
const su: Command = async (process) => {
  if (!process.host.hasSu) {
    await process.err('/system/bin/sh: su: not found\n');
    return 127;
  }
  const [first, ...rest] = process.args;
  if (first !== '-c' && first !== '0') return complain(process, 'su', 'usage: su -c COMMAND');
  return process.sub(rest.join(' '), 0);
};

const byNameFolder = '/dev/block/by-name';

const ls: Command = async (process) => {
  const { args, host, uid } = process;
  const long = args.includes('-l') || args.includes('-la');
  const path = resolvePath(process.cwd, args.find((each) => !each.startsWith('-')) ?? '.');
  if (args[0] === '-ld') return listThemselves(process, args.slice(1));
  if (args[0] === '-dZ') return listLabels(process, args.slice(1));
  if (path.replace(/\/$/, '') === byNameFolder) {
    if (uid !== 0 && host.mode === 'system') return complain(process, 'ls', `${path}: Permission denied`);
    const lines = [...host.flash.list()]
      .sort((a, b) => (a.name < b.name ? -1 : 1))
      .map(({ name }) =>
        long ? `lrwxrwxrwx 1 root root 21 1970-01-01 00:00 ${name} -> ${nodeOf(host, name)}\n` : `${name}\n`,
      );
    if (long) lines.unshift('total 0\n');
    await print(process, lines.join(''));
    return 0;
  }
  if (deviceAt(host, path)) {
    await print(process, `${path}\n`);
    return 0;
  }
  const found = await readMounted(host, path, uid, 'list');
  if (typeof found === 'string') return complain(process, 'ls', `${path}: ${found}`);
  // Names with a dot are told with -a or -A.
  const tellsAll = args.some((arg) => /^-[a-zA-Z]*[aA]/.test(arg));
  const names = (await textOf(found)).split('\n').filter((name) => tellsAll || !name.startsWith('.'));
  await print(process, names.join('\n'));
  return 0;
};

/** `ls -ld PATH…`: of links their targets. */
async function listThemselves(process: Process, paths: readonly string[]): Promise<number> {
  for (const path of paths) {
    const place = placeOf(process, path);
    const fs = place && (await openFileSystem(place.mount.source));
    const inode = place && process.uid === 0 ? await fs!.findSelf(place.within) : undefined;
    if (!inode) {
      await complain(process, 'ls', `${path}: No such file or directory`);
      continue;
    }
    const target = inode.type === 'link' ? ` -> ${await fs!.linkTarget(inode)}` : '';
    await print(
      process,
      `lrwxrwxrwx 1 ${inode.uid} ${inode.gid} ${inode.bytes} 1970-01-01 00:00 ${path}${target}\n`,
    );
  }
  return 0;
}

/** `ls -dZ PATH…`: the labels of files. */
async function listLabels(process: Process, paths: readonly string[]): Promise<number> {
  let code = 0;
  for (const path of paths) {
    const place = placeOf(process, path);
    const fs = place && (await openFileSystem(place.mount.source));
    const inode = place && process.uid === 0 ? await fs!.findSelf(place.within) : undefined;
    if (inode) await print(process, `${await labelOf(fs!, inode)} ${path}\n`);
    else code = await complain(process, 'ls', `${path}: No such file or directory`);
  }
  return code;
}

const blockdev: Command = async (process) => {
  const [option, ...paths] = process.args;
  if (option !== '--getsize64' && option !== '--getss' && option !== '--flushbufs')
    return complain(process, 'blockdev', `unknown option ${option ?? ''}`);
  // As toybox has it.
  if (paths.length > 1) return complain(process, 'blockdev', 'Max 1 argument');
  for (const path of paths) {
    const device = deviceAt(process.host, path);
    if (!device) return complain(process, 'blockdev', `${path}: No such file or directory`);
    if (process.uid !== 0) return complain(process, 'blockdev', `${path}: Permission denied`);
    if (option === '--getsize64') await print(process, `${device.bytes}\n`);
    if (option === '--getss') await print(process, `${process.host.flash.sectorBytes}\n`);
  }
  return 0;
};

const digest =
  (name: string, algorithm: string): Command =>
  async (process) => {
    const { args, host, uid } = process;
    if (args.length === 0) {
      await print(process, `${await streamDigest(process.stdin, algorithm)}  -\n`);
      return 0;
    }
    let code = 0;
    for (const path of args) {
      const absolute = resolvePath(process.cwd, path);
      try {
        const device = deviceAt(host, absolute);
        if (device && uid !== 0) throw new Complaint('Permission denied');
        const digest = device
          ? await deviceDigest(device, { offset: 0, bytes: device.bytes }, algorithm)
          : await fileDigest(host, absolute, uid, algorithm);
        await print(process, `${digest}  ${path}\n`);
      } catch (error) {
        if (!(error instanceof IoError) && !(error instanceof Complaint)) throw error;
        code = await complain(process, name, `${path}: ${error.message}`);
      }
    }
    return code;
  };

class Complaint extends Error {}

async function fileDigest(host: ShellHost, path: string, uid: number, algorithm: string): Promise<string> {
  if (path === '/dev/null') return createHash(algorithm).digest('hex');
  const bytes = await readMounted(host, path, uid);
  if (typeof bytes === 'string') throw new Complaint(bytes);
  return digestOf(bytes, algorithm);
}

/** `mount -t TYPE -o ro NODE FOLDER`, and `mount /data` in recovery: of a file system that can be read as it is. */
const mount: Command = async (process) => {
  const { args, host, uid } = process;
  // By recovery's own list of file systems.
  const folder = args.filter((arg, i) => arg !== '-o' && args[i - 1] !== '-o');
  const listed =
    host.mode === 'recovery' && folder.length === 1 ? { '/data': 'userdata', '/system': 'system' } : {};
  const name = (listed as Readonly<Record<string, string | undefined>>)[folder[0] ?? ''];
  const [node = '', at = ''] = name ? [nodeOf(host, name), folder[0]!] : args.slice(-2);
  const source = deviceAt(host, node);
  if (uid !== 0) return complain(process, 'mount', `${at}: Operation not permitted`);
  if (!source) return complain(process, 'mount', `${node}: No such file or directory`);
  const kind = args.indexOf('-t') + 1;
  const wanted = kind > 0 ? args[kind] : undefined;
  const found = await openFileSystem(source).catch(() => undefined);
  if (!found || (wanted !== undefined && wanted !== found.format))
    return complain(process, 'mount', `'${node}'->'${at}': Invalid argument`);
  const [, byName] = /\/by-name\/([^/]+)$/.exec(node) ?? [];
  const device = byName === undefined ? node : nodeOf(host, byName);
  host.mounts.push({ device, at, writable: !args.includes('ro'), source });
  return 0;
};

/** What was written to the flash is in its file: only this computer's own power could still take it. */
const sync: Command = () => Promise.resolve(0);

const reboot: Command = async (process) => {
  if (process.uid !== 0) return complain(process, 'reboot', 'Operation not permitted');
  process.host.reboot(process.args[0] ?? '');
  return 0;
};

const umount: Command = async (process) => {
  const [target = ''] = process.args;
  const { mounts } = process.host;
  const at = mounts.findIndex((mount) => mount.at === target || mount.device === target);
  if (at < 0) return complain(process, 'umount', `${target}: Invalid argument`);
  if (process.uid !== 0) return complain(process, 'umount', `${target}: Operation not permitted`);
  if (process.host.mode === 'system')
    return complain(process, 'umount', `${target}: Device or resource busy`);
  mounts.splice(at, 1);
  return 0;
};

/** `sh [FILE WORD…]`: runs what it reads. */
const sh: Command = async (process) => {
  const [path, ...words] = process.args;
  if (path === undefined) return process.sub(await textOf(process.stdin), process.uid);
  const found = await readMounted(process.host, resolvePath(process.cwd, path), process.uid);
  if (typeof found === 'string') return complain(process, 'sh', `${path}: ${found}`);
  return process.sub(await textOf(found), process.uid, { name: path, words });
};

/** As mksh has it: what stands behind a backslash may be another character. */
const echo: Command = async (process) => {
  const meant: Readonly<Record<string, string>> = { n: '\n', t: '\t', '\\': '\\' };
  const text = process.args.join(' ').replace(/\\([nt\\])/g, (_, letter: string) => meant[letter]!);
  await print(process, `${text}\n`);
  return 0;
};

/** Every command this phone has; any other is "not found". */
export const commandTable: Readonly<Record<string, Command>> = {
  am,
  blockdev,
  bu,
  cat,
  chcon,
  chgrp,
  chmod,
  chown,
  cmd,
  content,
  cut,
  dd,
  df,
  du,
  dumpsys,
  echo,
  false: () => Promise.resolve(1),
  find,
  getprop,
  grep,
  gzip,
  head,
  id,
  ls,
  mkdir,
  mke2fs,
  make_f2fs: makeF2fs,
  mount,
  mv,
  pm,
  ps,
  md5sum: digest('md5sum', 'md5'),
  reboot,
  rm,
  sed,
  service,
  settings,
  sh,
  sha256sum: digest('sha256sum', 'sha256'),
  sort,
  stat,
  su,
  sync,
  tail,
  tar,
  telecom,
  true: () => Promise.resolve(0),
  umount,
  unzip,
  wc,
};
