import { posix } from 'node:path';
import type { ByteSource } from '@keen-larder/core/bytes/source.ts';
import type { Device, Flash } from '../flash/flash.ts';

export interface Mount {
  /** The block device that is mounted. */
  readonly device: string;
  readonly at: string;
  readonly writable: boolean;
  readonly source: Device;
}

/** What somebody said on the screen. */
export interface Agreement {
  readonly password: string;
}

/** What the shell sees of the phone it runs on. */
export interface ShellHost {
  readonly mode: 'system' | 'recovery';
  readonly properties: Readonly<Record<string, string>>;
  /** The adb daemon runs as root (recovery). */
  readonly rootDaemon: boolean;
  readonly hasSu: boolean;
  readonly flash: Flash;
  /** The kernel's name of the disk. */
  readonly disk: 'mmcblk0' | 'sda';
  readonly mounts: Mount[];
  /** Files in memory, by their paths: what recovery was handed. */
  readonly handed: Map<string, ByteSource>;
  readonly startedAt: number;
  /** Null where a phone with a modem has lost it; undefined without a modem. */
  readonly imei: string | null | undefined;
  /** Whether somebody agrees on its screen, and with which password; an empty one is none. */
  isAgreedTo(what: 'backup' | 'restore' | 'import'): Promise<Agreement | false>;
  battery(): { readonly percent: number; readonly charging: boolean };
  reboot(into: string): void;
}

/** Standard streams of a command. */
export interface Streams {
  readonly stdin: AsyncIterable<Uint8Array>;
  out(bytes: Uint8Array): Promise<void>;
  err(text: string): Promise<void>;
}

/** A script's own name and its words. */
export interface Called {
  readonly cwd?: string;
  readonly name?: string;
  readonly words?: readonly string[];
}

export interface Process extends Streams {
  readonly host: ShellHost;
  readonly uid: number;
  readonly cwd: string;
  readonly args: readonly string[];
  /** Runs another script on the same streams. */
  sub(script: string, uid: number, called?: Called): Promise<number>;
  /** Runs another command on the same streams. */
  exec(words: readonly string[]): Promise<number>;
}

/** A path as seen from a folder. */
export const resolvePath = (cwd: string, path: string): string => posix.resolve(cwd, path);

/** What the owner's apps keep lies in one place under two names, joined by a mount. */
export const userPath = (path: string): string =>
  path.replace(/^\/data\/user\/0(?=\/|$)/, '/data/data').replace(/^\/sdcard(?=\/|$)/, '/data/media/0');

/** Whether somebody may read there: root everywhere, everybody where apps share files, and programs that they know the place of. */
export const mayRead = (uid: number, path: string): boolean =>
  uid === 0 || /^\/sdcard(?:\/|$)|^\/data\/app\/[^/]+|^\/data\/local\/tmp(?:\/|$)/.test(path);

/** Whether somebody may write there: root everywhere, and the shell in its own folder. */
export const mayWrite = (uid: number, path: string): boolean =>
  uid === 0 || /^\/data\/local\/tmp\/.|^\/sdcard\/./.test(path);

/** A command: its exit code. */
export type Command = (process: Process) => Promise<number>;

export const print = (process: Process, text: string): Promise<void> => process.out(Buffer.from(text));

/** The block device at a path, by kernel name or by partition name. */
export function deviceAt({ flash, disk, mounts }: ShellHost, path: string): Device | undefined {
  const byName = /^\/dev\/block\/(?:bootdevice\/|platform\/[^/]+\/)?by-name\/([^/]+)$/.exec(path);
  if (byName) return flash.partition(byName[1]!);
  if (path === `/dev/block/${disk}`) return flash;
  if (path === `/dev/block/${disk}boot0`) return flash.earlyLoader;
  const numbered = new RegExp(`^/dev/block/${partitionOf(disk, '(\\d+)')}$`).exec(path);
  const found = numbered && flash.list().find(({ number }) => number === Number(numbered[1]));
  if (found) return flash.partition(found.name);
  return mounts.find(({ device }) => device === path)?.source;
}

/** eMMC puts a p before the number: `mmcblk0p14`, but `sda14`. */
const partitionOf = (disk: string, number: number | string): string =>
  disk.startsWith('mmc') ? `${disk}p${number}` : `${disk}${number}`;

export const nodeOf = ({ flash, disk }: Pick<ShellHost, 'flash' | 'disk'>, partition: string): string =>
  `/dev/block/${partitionOf(disk, flash.list().find(({ name }) => name === partition)?.number ?? 0)}`;

/** A command's complaint in the form phones print it. */
export const complain = async (process: Process, name: string, about: string): Promise<number> => {
  await process.err(`${name}: ${about}\n`);
  return 1;
};
