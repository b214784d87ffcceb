import type { Device, Flash } from '../flash/flash.ts';

export interface Mount {
  readonly partition: string;
  readonly at: string;
  readonly writable: boolean;
}

/** What the shell sees of the phone it runs on. */
export interface ShellHost {
  readonly mode: 'system' | 'recovery';
  readonly properties: Readonly<Record<string, string>>;
  /** The adb daemon runs as root (recovery). */
  readonly rootDaemon: boolean;
  readonly hasSu: boolean;
  readonly flash: Flash;
  readonly mounts: Mount[];
  readonly startedAt: number;
  battery(): { readonly percent: number; readonly charging: boolean };
  reboot(into: string): void;
}

/** Standard streams of a command. */
export interface Streams {
  readonly stdin: AsyncIterable<Uint8Array>;
  out(bytes: Uint8Array): Promise<void>;
  err(text: string): Promise<void>;
}

export interface Process extends Streams {
  readonly host: ShellHost;
  readonly uid: number;
  readonly args: readonly string[];
}

/** A command: its exit code. */
export type Command = (process: Process) => Promise<number>;

export const print = (process: Process, text: string): Promise<void> => process.out(Buffer.from(text));

const disk = 'mmcblk0';

/** The block device at a path, by kernel name or by partition name. */
export function deviceAt(host: ShellHost, path: string): Device | undefined {
  const byName = /^\/dev\/block\/(?:bootdevice\/|platform\/[^/]+\/)?by-name\/([^/]+)$/.exec(path);
  if (byName) return host.flash.partition(byName[1]!);
  if (path === `/dev/block/${disk}`) return host.flash;
  const numbered = new RegExp(`^/dev/block/${disk}p(\\d+)$`).exec(path);
  const found = numbered && host.flash.list().find(({ number }) => number === Number(numbered[1]));
  return found ? host.flash.partition(found.name) : undefined;
}

export const nodeOf = (host: ShellHost, partition: string): string =>
  `/dev/block/${disk}p${host.flash.list().find(({ name }) => name === partition)?.number ?? 0}`;

/** A command's complaint in the form phones print it. */
export const complain = async (process: Process, name: string, about: string): Promise<number> => {
  await process.err(`${name}: ${about}\n`);
  return 1;
};
