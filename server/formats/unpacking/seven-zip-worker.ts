/**
 * Runs in a thread of its own: 7-Zip, which reads and writes without waiting, over bytes that the main thread hands it. It has no
 * file of this computer but its own.
 */
import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { parentPort } from 'node:worker_threads';
import sevenZip, { type SevenZipModule } from '7z-wasm';
import { controlBytes, type SevenZipMessage, type SevenZipOrder } from './seven-zip-messages.ts';

/** Lists have a few hundred bytes for an entry. */
const mostLines = 500_000;
/** A dictionary of the largest preset, and what else it needs. */
const mostMemoryBytes = 384 << 20;
const archive = '/in/archive';
const program = new WebAssembly.Module(
  readFileSync(createRequire(import.meta.url).resolve('7z-wasm/7zz.wasm')),
);

/** Its memory comes as bytes with a sign. */
const bytesOf = ({ buffer, byteOffset }: ArrayBufferView, offset: number, length: number) =>
  new Uint8Array(buffer, byteOffset + offset, length);

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

type Resize = (bytes: number) => number | boolean;

/** 7-Zip as it starts, with nothing left of what ran before. */
async function fresh(lines: string[], errors: string[]): Promise<SevenZipModule> {
  const options = {
    print: (line: string) => void (lines.length < mostLines && lines.push(line)),
    printErr: (line: string) => void (errors.length < 100 && errors.push(line)),
    instantiateWasm(
      imports: { env: WebAssembly.ModuleImports },
      done: (instance: WebAssembly.Instance, module: WebAssembly.Module) => void,
    ) {
      const resize = imports.env.emscripten_resize_heap as Resize;
      const env = {
        ...imports.env,
        emscripten_resize_heap: (bytes: number) => bytes >>> 0 <= mostMemoryBytes && resize(bytes),
      };
      done(new WebAssembly.Instance(program, { ...imports, env }), program);
    },
  };
  return sevenZip(options);
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

/** What it would print is what comes out. */
function takeOutput({ FS }: SevenZipModule, main: Main): void {
  const device = FS.makedev(64, 0);
  FS.registerDevice(device, {
    open() {},
    close() {},
    write(_: Stream, buffer: ArrayBufferView, offset: number, length: number) {
      main.give(bytesOf(buffer, offset, length));
      return length;
    },
  });
  FS.mkdev('/dev/out', device);
  (FS as typeof FS & { closeStream(fd: number): void }).closeStream(1);
  FS.open('/dev/out', 'w');
}

// A password is never asked for: one that nobody has is given.
const argumentsOf = {
  list: ['l', '-slt', '-ba', '-p-', archive],
  unpack: ['x', '-so', '-bd', '-p-', archive],
};

async function run({ kind, bytes, shared }: SevenZipOrder): Promise<void> {
  const [lines, errors]: [string[], string[]] = [[], []];
  const main = new Main(shared);
  let code = -1;
  try {
    const own = await fresh(lines, errors);
    mount(own, main, bytes);
    if (kind === 'unpack') takeOutput(own, main);
    code = Number(own.callMain([...argumentsOf[kind]]));
  } catch (error) {
    errors.push(String(error));
  }
  parentPort!.postMessage({ kind: 'ended', code, lines, errors: errors.join(' ') } satisfies SevenZipMessage);
}

parentPort!.on('message', (order: SevenZipOrder) => void run(order));
