import { open, type FileHandle } from 'node:fs/promises';

type Files = Pick<FileHandle, 'write' | 'writev' | 'read'>;

/** The object that all open files of Node have their methods from. */
async function prototypeOfFiles(): Promise<Files> {
  const file = await open('/dev/null', 'w');
  await file.close();
  return Object.getPrototypeOf(file) as Files;
}

const diskFull = () => Object.assign(new Error('ENOSPC: no space left on device, write'), { code: 'ENOSPC' });

/**
 * While `work` runs, every write to a file of this process takes part of its bytes only, as POSIX allows, or goes wrong.
 * @param onWrite given the bytes of a write and its number from 0 up; returns how many of them are taken, or throws;
 * it may change them
 */
export async function withWrites<T>(
  onWrite: (bytes: Uint8Array, index: number) => number,
  work: () => Promise<T>,
): Promise<T> {
  const files = await prototypeOfFiles();
  const { write, writev } = files;
  /** As Node's own, with bytes that lie whole in a buffer. */
  type Write = (
    this: FileHandle,
    bytes: Uint8Array,
    offset: number,
    length: number,
    at: number | null,
  ) => unknown;
  const plainWrite = write as Write;
  let index = 0;
  const taken = (bytes: Uint8Array): Buffer => {
    const copy = Buffer.from(bytes);
    return copy.subarray(0, onWrite(copy, index++));
  };
  const put = async (file: FileHandle, bytes: Uint8Array, at: number | null) => {
    const part = taken(bytes);
    return plainWrite.call(file, part, 0, part.length, at);
  };
  const faulty = {
    write(
      this: FileHandle,
      bytes: Uint8Array,
      offset = 0,
      length = bytes.length - offset,
      at: number | null = null,
    ) {
      return put(this, bytes.subarray(offset, offset + length), at);
    },
    writev(this: FileHandle, pieces: readonly Uint8Array[]) {
      return put(this, Buffer.concat(pieces), null);
    },
  };
  Object.assign(files, faulty);
  try {
    return await work();
  } finally {
    Object.assign(files, { write, writev });
  }
}

/** Every write takes so many bytes at most. */
export const shortWrites = (most: number) => (bytes: Uint8Array) => Math.min(most, bytes.length);

/** The disk is full from the nth write on. */
export const fullFrom = (n: number) => (bytes: Uint8Array, index: number) => {
  if (index >= n) throw diskFull();
  return bytes.length;
};

/** The disk takes half of the nth write, and everything else. */
export const shortAt = (n: number) => (bytes: Uint8Array, index: number) =>
  index === n ? bytes.length >> 1 : bytes.length;

/** One bit of the nth write comes out wrong. */
export const flippedAt = (n: number) => (bytes: Uint8Array, index: number) => {
  if (index === n) bytes[bytes.length >> 1]! ^= 1;
  return bytes.length;
};

/**
 * While `work` runs, every read from a file of this process gives some of its bytes only, or goes wrong.
 * @param onRead given the bytes that were read and the read's number from 0 up; returns how many of them are given, or
 * throws; it may change them
 */
export async function withReads<T>(
  onRead: (bytes: Uint8Array, index: number) => number,
  work: () => Promise<T>,
): Promise<T> {
  const files = await prototypeOfFiles();
  const { read } = files;
  type Read = (
    this: FileHandle,
    into: Uint8Array,
    offset: number,
    length: number,
    at: number | null,
  ) => Promise<{ readonly bytesRead: number; readonly buffer: Uint8Array }>;
  const plainRead = read as Read;
  let index = 0;
  const faulty: { read: Read } = {
    async read(into, offset, length, at) {
      const { bytesRead } = await plainRead.call(this, into, offset, length, at);
      return { bytesRead: onRead(into.subarray(offset, offset + bytesRead), index++), buffer: into };
    },
  };
  Object.assign(files, faulty);
  try {
    return await work();
  } finally {
    Object.assign(files, { read });
  }
}

/** Every read gives so many bytes at most. */
export const shortReads = (most: number) => (bytes: Uint8Array) => Math.min(most, bytes.length);

/** The disk cannot read what the nth read asks for. */
export const unreadableAt = (n: number) => (bytes: Uint8Array, index: number) => {
  if (index === n) throw Object.assign(new Error('EIO: i/o error, read'), { code: 'EIO' });
  return bytes.length;
};
