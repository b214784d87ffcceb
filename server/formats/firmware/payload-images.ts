import { createHash, createVerify, X509Certificate } from 'node:crypto';
import { createRequire } from 'node:module';
import { decompress as unzstd } from 'zstd-napi';
import lzma from 'lzma-native';
import { FormatError } from '@keen-larder/core/bytes/format-error.ts';
import { readWithin, type ByteSource } from '@keen-larder/core/bytes/source.ts';
import {
  readSignatures,
  type Operation,
  type PartitionUpdate,
} from '@keen-larder/core/formats/update-payload/manifest.ts';
import { piecesOf, type Payload } from '@keen-larder/core/formats/update-payload/payload.ts';
import { sourceBytes } from '../file-source.ts';

// A CommonJS module whose export is a class.
const Bzip2 = createRequire(import.meta.url)('@foxglove/wasm-bz2') as {
  init(): Promise<{ decompress(bytes: Uint8Array, into: number): Uint8Array }>;
};

const format = 'update payload';
/** What one operation writes; real ones write two megabytes, or fifty at most. */
const mostOperationBytes = 256 << 20;
/** Unpacked operations that stay at hand: those that come next, and those that write in several places. */
const keptOperations = 4;
/** Operations that are unpacked before they are wanted. */
const operationsAhead = 2;
const pieceBytes = 1 << 20;

/**
 * A partition that an update holds in full, from its first byte to its last. Each operation's data are held against their
 * digest, and all of it against the partition's.
 * @throws FormatError from the stream
 */
export async function* payloadImage(
  source: ByteSource,
  { manifest, dataAt }: Payload,
  partition: PartitionUpdate,
): AsyncGenerator<Uint8Array> {
  const { blockBytes } = manifest;
  const hash = createHash('sha256');
  const zeros = new Uint8Array(pieceBytes);
  const kept = new Map<Operation, Promise<Uint8Array>>();
  const outputOf = (operation: Operation): Promise<Uint8Array> => {
    const known = kept.get(operation);
    if (known) return known;
    const made = unpacked(source, dataAt, operation, blockBytes, partition.name);
    kept.set(operation, made);
    made.catch(() => undefined);
    if (kept.size > keptOperations) kept.delete(kept.keys().next().value!);
    return made;
  };
  const pieces = piecesOf(partition, blockBytes);
  for (const [i, { bytes, from }] of pieces.entries()) {
    const whole = from && (await outputOf(from.operation));
    for (const next of pieces.slice(i + 1, i + 1 + operationsAhead))
      if (next.from) void outputOf(next.from.operation);
    for (let done = 0; done < bytes; done += pieceBytes) {
      const length = Math.min(pieceBytes, bytes - done);
      const part = whole
        ? whole.subarray(from.offset + done, from.offset + done + length)
        : zeros.subarray(0, length);
      hash.update(part);
      yield part;
    }
  }
  if (partition.sha256.length > 0 && !hash.digest().equals(partition.sha256))
    throw new FormatError(format, 'new_partition_info', 0, `${partition.name} does not match its SHA-256`);
}

async function unpacked(
  source: ByteSource,
  dataAt: number,
  { type, to, dataOffset, dataBytes, sha256 }: Operation,
  blockBytes: number,
  name: string,
): Promise<Uint8Array> {
  const at = dataAt + dataOffset;
  const bad = (reason: string) => new FormatError(format, 'data', at, `${name}: ${reason}`);
  const bytes = to.reduce((sum, { count }) => sum + count, 0) * blockBytes;
  if (bytes > mostOperationBytes || dataBytes > mostOperationBytes)
    throw bad(`an operation of ${bytes} bytes`);
  const data = await readWithin(source, at, dataBytes, format, 'data');
  if (sha256.length > 0 && !createHash('sha256').update(data).digest().equals(sha256))
    throw bad('the data of an operation do not match their SHA-256');
  let out: Uint8Array;
  try {
    out = await unpackers[type as keyof typeof unpackers](data, bytes);
  } catch (error) {
    throw bad(`an operation does not unpack (${(error as Error).message})`);
  }
  if (out.length !== bytes) throw bad(`an operation gives ${out.length} bytes of ${bytes}`);
  return out;
}

const unpackers = {
  replace: (data: Uint8Array) => data,
  'replace bz2': async (data: Uint8Array, bytes: number) => (await bzip2()).decompress(data, bytes),
  'replace xz': (data: Uint8Array, bytes: number) => unxz(data, bytes),
  'replace zstd': (data: Uint8Array) => unzstd(data),
};

let loading: ReturnType<(typeof Bzip2)['init']> | undefined;
const bzip2 = () => (loading ??= Bzip2.init());

/** What comes out at once: a thread is asked for each. */
const xzPieceBytes = 1 << 20;

/** @throws Error where it is damaged, or unpacks to more */
async function unxz(data: Uint8Array, bytes: number): Promise<Uint8Array> {
  const reader = lzma.createDecompressor({ memlimit: mostOperationBytes, bufsize: xzPieceBytes });
  const out = new Uint8Array(bytes);
  let had = 0;
  reader.end(Buffer.from(data.buffer, data.byteOffset, data.byteLength));
  for await (const part of reader as AsyncIterable<Buffer>) {
    if (had + part.length > bytes) throw new Error(`it unpacks to more than ${bytes} bytes`);
    out.set(part, had);
    had += part.length;
  }
  return out.subarray(0, had);
}

/** What became of a signature. */
export type SignatureState = 'matches' | 'does not match' | 'none';

/**
 * Holds an update against the certificate that comes with it: the signature over its metadata, and, where it has one, that
 * over all of it (RSA or ECDSA with SHA-256).
 * @param certificate as PEM
 * @throws FormatError where the certificate cannot be read
 */
export async function judgeSignatures(
  source: ByteSource,
  { manifest, metadataBytes, metadataSignature, dataAt }: Payload,
  certificate: string,
): Promise<SignatureState> {
  let key: X509Certificate['publicKey'];
  try {
    key = new X509Certificate(certificate).publicKey;
  } catch (error) {
    throw new FormatError('certificate', 'PEM', 0, (error as Error).message);
  }
  const matches = async (over: readonly (readonly [number, number])[], at: number, bytes: number) => {
    const signatures = readSignatures(await readWithin(source, at, bytes, format, 'signature'));
    const verifier = createVerify('sha256');
    for (const [offset, length] of over)
      for await (const part of sourceBytes(source, offset, length)) verifier.update(part);
    return signatures.some((signature) => verifier.verify(key, signature));
  };
  const { signaturesOffset, signaturesBytes } = manifest;
  if (metadataSignature.bytes === 0 && !signaturesBytes) return 'none';
  if (metadataSignature.bytes > 0) {
    const { offset, bytes } = metadataSignature;
    if (!(await matches([[0, metadataBytes]], offset, bytes))) return 'does not match';
  }
  if (signaturesOffset !== undefined && signaturesBytes) {
    const over = [
      [0, metadataBytes],
      [dataAt, signaturesOffset],
    ] as const;
    if (!(await matches(over, dataAt + signaturesOffset, signaturesBytes))) return 'does not match';
  }
  return 'matches';
}
