import { openFileSystem } from '@keen-larder/core/formats/file-system/open.ts';
import type { Device } from '../flash/flash.ts';
import { IoError } from '../flash/faults.ts';
import { complain, deviceAt, mayRead, type Command, type Process } from './host.ts';
import { placeOf } from './tree/place.ts';

const suffixes: Readonly<Record<string, number>> = {
  '': 1,
  c: 1,
  w: 2,
  b: 512,
  kD: 1000,
  k: 1024,
  K: 1024,
  MD: 1_000_000,
  M: 1_048_576,
  G: 1_073_741_824,
};

interface Options {
  if?: string;
  of?: string;
  /** What is read at once, and what counts and skips are in. */
  ibs: number;
  /** What is written at once, and what `seek` is in. */
  obs: number;
  count: number;
  skip: number;
  seek: number;
}

const numbered = ['bs', 'ibs', 'obs', 'count', 'skip', 'seek'] as const;
const isNumbered = (name: string): name is (typeof numbered)[number] =>
  (numbered as readonly string[]).includes(name);

function optionsOf(args: readonly string[]): Options | string {
  const options: Options = { ibs: 512, obs: 512, count: Infinity, skip: 0, seek: 0 };
  for (const arg of args) {
    const [, name, value] = /^([a-z]+)=(.*)$/.exec(arg) ?? [];
    if (name === 'if' || name === 'of') options[name] = value!;
    else if (name && isNumbered(name)) {
      const number = /^(\d+)([a-zA-Z]*)$/.exec(value!);
      const scale = number ? suffixes[number[2]!] : undefined;
      if (!number || scale === undefined) return `bad ${name} '${value}'`;
      const size = Number(number[1]) * scale;
      if (name === 'bs') options.ibs = options.obs = size;
      else options[name] = size;
    } else if (name !== 'conv' && name !== 'status' && name !== 'iflag' && name !== 'oflag') {
      return `unknown operand '${arg}'`;
    }
  }
  const isSound = [options.ibs, options.obs].every((size) => size > 0 && size <= 64 << 20);
  return isSound ? options : `bad bs`;
}

/** The piece of a file that is read to standard output. @returns undefined where it is written to, or read to its end */
export function pieceOf(
  args: readonly string[],
): { readonly path: string; readonly offset: number; readonly bytes: number } | undefined {
  const options = optionsOf(args);
  if (typeof options === 'string' || options.of !== undefined) return undefined;
  const { if: path, skip, count, ibs } = options;
  if (path === undefined || count === Infinity) return undefined;
  return { path, offset: skip * ibs, bytes: count * ibs };
}

/** Copies blocks between standard streams and block devices, counting as toybox does. */
export const dd: Command = async (process) => {
  const options = optionsOf(process.args);
  if (typeof options === 'string') return complain(process, 'dd', options);
  const input = options.if === undefined ? undefined : await openInput(process, options.if);
  const output = options.of === undefined ? undefined : openDevice(process, options.of);
  for (const [path, device] of [[options.if, input] as const, [options.of, output] as const]) {
    if (typeof device === 'string') return complain(process, 'dd', `${path}: ${device}`);
  }
  const startedAt = Date.now();
  let bytes = 0;
  const blocks = input ? deviceBlocks(input as Device, options) : process.stdin;
  try {
    for await (const block of blocks) {
      // What goes from device to device sees no cable.
      const carried = input && output ? block : process.host.flash.faults.onCable(block);
      if (output) await (output as Device).write(options.seek * options.obs + bytes, carried);
      else await process.out(carried);
      bytes += block.length;
    }
  } catch (error) {
    if (error instanceof RangeError || error instanceof IoError) {
      await process.err(`dd: ${output ? options.of : options.if}: ${error.message}\n`);
      return 1;
    }
    throw error;
  }
  const seconds = Math.max(0.001, (Date.now() - startedAt) / 1000);
  const records = (size: number) => `${Math.floor(bytes / size)}+${bytes % size ? 1 : 0} records`;
  await process.err(
    `${records(options.ibs)} in\n${records(options.obs)} out\n${bytes} bytes transferred in ${seconds.toFixed(3)} secs\n`,
  );
  return 0;
};

const endlessZeros: Device = {
  bytes: Infinity,
  read: (_offset, length, into) => Promise.resolve(into?.fill(0) ?? Buffer.alloc(length)),
  write: () => Promise.resolve(),
};

/** A device, or a file of a file system that is mounted. */
async function openInput(process: Process, path: string): Promise<Device | string> {
  if (path === '/dev/zero') return endlessZeros;
  const device = openDevice(process, path);
  if (typeof device !== 'string') return device;
  const place = placeOf(process, path);
  if (!place) return device;
  if (!mayRead(process.uid, path) && place.mount.at === '/data') return 'Permission denied';
  const fs = await openFileSystem(place.mount.source);
  const inode = await fs.find(place.within);
  if (inode?.type !== 'file') return inode ? 'Is a directory' : 'No such file or directory';
  const write = () => Promise.reject(new Error('opened for reading'));
  return { ...(await fs.contentSource(inode)), write };
}

function openDevice(process: Process, path: string): Device | string {
  const device = deviceAt(process.host, path);
  if (!device) return 'No such file or directory';
  return process.uid === 0 ? device : 'Permission denied';
}

/** Reads one block ahead, as the kernel does. A block is good until the next is asked for. */
async function* deviceBlocks(device: Device, { ibs: bs, skip, count }: Options): AsyncGenerator<Uint8Array> {
  const end = Math.min(device.bytes, skip * bs + count * bs);
  const memory = [Buffer.allocUnsafeSlow(bs), Buffer.allocUnsafeSlow(bs)];
  const block = (at: number) => {
    if (at >= end) return undefined;
    const into = memory[(at / bs) % 2]!;
    const read = device.read(at, Math.min(bs, end - at), into);
    // It may fail while the block before it is still on its way.
    read.catch(() => undefined);
    return read;
  };
  let next = block(skip * bs);
  for (let at = skip * bs; next; at += bs) {
    const bytes = await next;
    next = block(at + bs);
    yield bytes;
  }
}
