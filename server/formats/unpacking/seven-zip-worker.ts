/**
 * Runs in a thread of its own: 7-Zip, which reads and writes without waiting, over bytes that the main thread hands it. It has no
 * file of this computer but its own.
 */
import { parentPort, workerData } from 'node:worker_threads';
import sevenZip from '7z-wasm';
import { controlBytes, type SevenZipMessage, type SevenZipOrder } from './seven-zip-messages.ts';

const { kind, bytes: archiveBytes, shared } = workerData as SevenZipOrder;
const control = new Int32Array(shared, 0, 2);
const room = new Uint8Array(shared, controlBytes);
/** Lists have a few hundred bytes for an entry. */
const mostLines = 500_000;
const archive = '/in/archive';

/** Waits for the main thread. @returns what it said */
function handOver(message: SevenZipMessage): number {
  Atomics.store(control, 0, 0);
  parentPort!.postMessage(message);
  Atomics.wait(control, 0, 0);
  return Atomics.load(control, 1);
}

/** Its memory comes as bytes with a sign. */
const bytesOf = ({ buffer, byteOffset }: ArrayBufferView, offset: number, length: number) =>
  new Uint8Array(buffer, byteOffset + offset, length);

interface Stream {
  readonly position: number;
}

const lines: string[] = [];
const errors: string[] = [];
const own = await sevenZip({
  print: (line) => void (lines.length < mostLines && lines.push(line)),
  printErr: (line) => void (errors.length < 100 && errors.push(line)),
});
const { FS } = own;

// The archive: a file without bytes of its own.
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
    const bytes = Math.max(0, Math.min(length, room.length, archiveBytes - position));
    if (bytes === 0) return 0;
    const had = handOver({ kind: 'read', offset: position, bytes });
    if (had < 0) throw new Error('the archive could not be read');
    buffer.set(room.subarray(0, had), offset);
    return had;
  },
};

if (kind === 'unpack') {
  const device = FS.makedev(64, 0);
  FS.registerDevice(device, {
    open() {},
    close() {},
    write(_: Stream, buffer: ArrayBufferView, offset: number, length: number) {
      handOver({ kind: 'bytes', bytes: Uint8Array.from(bytesOf(buffer, offset, length)) });
      return length;
    },
  });
  FS.mkdev('/dev/out', device);
  // What it would print is what comes out.
  (FS as typeof FS & { closeStream(fd: number): void }).closeStream(1);
  FS.open('/dev/out', 'w');
}

// A password is never asked for: one that nobody has is given.
const args = kind === 'list' ? ['l', '-slt', '-ba', '-p-', archive] : ['x', '-so', '-bd', '-p-', archive];
let code: number;
try {
  code = Number(own.callMain(args));
} catch (error) {
  code = -1;
  errors.push(String(error));
}
parentPort!.postMessage({ kind: 'ended', code, lines, errors: errors.join(' ') } satisfies SevenZipMessage);
