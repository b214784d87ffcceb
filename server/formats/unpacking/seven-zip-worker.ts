/**
 * Runs in a thread of its own: 7-Zip, which reads and writes without waiting, over bytes that the main thread hands it. It has no
 * file of this computer but its own.
 */
import { parentPort } from 'node:worker_threads';
import type { SevenZipModule } from '7z-wasm';
import { controlBytes, type SevenZipMessage, type SevenZipOrder } from './seven-zip-messages.ts';
import { freshSevenZip, writtenBytes } from './seven-zip-program.ts';

const archive = '/in/archive';

interface Stream {
  readonly position: number;
}

/** The main thread, which reads the archive and takes what comes out. */
class Main {
  private readonly control: Int32Array;
  private readonly room: Uint8Array;

  constructor(shared: SharedArrayBuffer) {
    this.control = new Int32Array(shared, 0, 2);
    this.room = new Uint8Array(shared, controlBytes);
  }

  /** Waits until it has read. */
  read(offset: number, wanted: number): Uint8Array {
    const bytes = Math.min(wanted, this.room.length);
    if (bytes <= 0) return new Uint8Array(0);
    const had = this.handOver({ kind: 'read', offset, bytes });
    if (had < 0) throw new Error('the archive could not be read');
    return this.room.subarray(0, had);
  }

  /** Waits until it has taken them. */
  give(bytes: Uint8Array): void {
    this.handOver({ kind: 'bytes', bytes: Uint8Array.from(bytes) });
  }

  private handOver(message: SevenZipMessage): number {
    Atomics.store(this.control, 0, 0);
    parentPort!.postMessage(message);
    Atomics.wait(this.control, 0, 0);
    return Atomics.load(this.control, 1);
  }
}

/** Puts in the archive: a file without bytes of its own. */
function mount({ FS }: SevenZipModule, main: Main, archiveBytes: number): void {
  FS.mkdir('/in');
  FS.writeFile(archive, new Uint8Array(0));
  const { node } = FS.lookupPath(archive) as unknown as {
    node: { id: number; mode: number; node_ops: object; stream_ops: object };
  };
  const time = new Date(0);
  node.node_ops = {
    ...node.node_ops,
    getattr: () => ({
      ...{ dev: 1, ino: node.id, mode: node.mode, nlink: 1, uid: 0, gid: 0, rdev: 0, size: archiveBytes },
      ...{ atime: time, mtime: time, ctime: time, blksize: 4096, blocks: Math.ceil(archiveBytes / 4096) },
    }),
  };
  node.stream_ops = {
    ...node.stream_ops,
    llseek: ({ position }: Stream, offset: number, whence: number) =>
      whence === 1 ? position + offset : whence === 2 ? archiveBytes + offset : offset,
    read(_: Stream, buffer: Uint8Array, offset: number, length: number, position: number) {
      const had = main.read(position, Math.min(length, archiveBytes - position));
      buffer.set(had, offset);
      return had.length;
    },
  };
}

/** What it would be typed is what the main thread has next. */
function takeInput(program: SevenZipModule, main: Main): void {
  let at = 0;
  replaceStream(program, 0, 'r', {
    read(_: Stream, buffer: Uint8Array, offset: number, length: number) {
      const had = main.read(at, length);
      buffer.set(had, offset);
      at += had.length;
      return had.length;
    },
  });
}

/** What it would print is what comes out. */
function takeOutput(program: SevenZipModule, main: Main): void {
  replaceStream(program, 1, 'w', {
    write(_: Stream, buffer: ArrayBufferView, offset: number, length: number) {
      main.give(writtenBytes(buffer, offset, length));
      return length;
    },
  });
}

/** @param descriptor the lowest that is free is given to what is opened next */
function replaceStream({ FS }: SevenZipModule, descriptor: number, flags: string, operations: object): void {
  const device = FS.makedev(64, descriptor);
  FS.registerDevice(device, { open() {}, close() {}, ...operations });
  FS.mkdev(`/dev/main${descriptor}`, device);
  (FS as typeof FS & { closeStream(fd: number): void }).closeStream(descriptor);
  FS.open(`/dev/main${descriptor}`, flags);
}

// A password is never asked for: one that nobody has is given.
const argumentsOf = {
  list: ['l', '-slt', '-ba', '-p-', archive],
  unpack: ['x', '-so', '-bd', '-p-', archive],
  'unpack xz': ['x', '-txz', '-si', '-so', '-bd', '-p-'],
};

async function run({ kind, bytes, shared }: SevenZipOrder): Promise<void> {
  const [lines, errors]: [string[], string[]] = [[], []];
  const main = new Main(shared);
  let code = -1;
  try {
    const own = await freshSevenZip({ lines, errors });
    if (kind === 'unpack xz') takeInput(own, main);
    else mount(own, main, bytes);
    if (kind !== 'list') takeOutput(own, main);
    code = Number(own.callMain([...argumentsOf[kind]]));
  } catch (error) {
    errors.push(String(error));
  }
  parentPort!.postMessage({ kind: 'ended', code, lines, errors: errors.join(' ') } satisfies SevenZipMessage);
}

parentPort!.on('message', (order: SevenZipOrder) => void run(order));
