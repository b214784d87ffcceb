/** Runs in the threads of `operations.ts`: holds the data of operations against their digests, and unpacks them. */
import { createHash } from 'node:crypto';
import { createRequire } from 'node:module';
import { move, transferableSymbol, valueSymbol } from 'piscina';
import zstd from 'zstd-napi/binding.js';
import { unpackXz } from '../unpacking/xz-files.ts';

// A CommonJS module whose export is a class.
const Bzip2 = createRequire(import.meta.url)('@foxglove/wasm-bz2') as {
  init(): Promise<{ decompress(bytes: Uint8Array, into: number): Uint8Array }>;
};

/** What is needed of an operation that writes something. */
export interface PackedOperation {
  readonly type: string;
  readonly data: Uint8Array;
  /** Empty where it has none. */
  readonly sha256: Uint8Array;
  /** Unpacked. */
  readonly bytes: number;
}

/** What operations make, in their order, or which of them does not and why. */
export type Unpacked =
  | { readonly outputs: readonly Uint8Array[] }
  | { readonly at: number; readonly reason: string };

export default async function unpack(operations: readonly PackedOperation[]): Promise<Unpacked> {
  const changed = operations.findIndex(
    ({ data, sha256 }) => sha256.length > 0 && !createHash('sha256').update(data).digest().equals(sha256),
  );
  if (changed >= 0) return { at: changed, reason: 'the data of an operation do not match their SHA-256' };
  const outputs = new Array<Uint8Array>(operations.length);
  const byXz = operations.filter(({ type }) => type === 'replace xz');
  // Together, since 7-Zip takes a while to begin; each by itself where that fails, to tell which.
  const unpacked = await unpackXz(byXz).catch(() => undefined);
  if (unpacked) for (const [i, one] of byXz.entries()) outputs[operations.indexOf(one)] = unpacked[i]!;
  for (const [at, operation] of operations.entries()) {
    try {
      const output = (outputs[at] ??= await unpackers[operation.type as keyof typeof unpackers](operation));
      const { bytes } = operation;
      if (output.length !== bytes) throw new Error(`it gives ${output.length} bytes of ${bytes}`);
    } catch (error) {
      return { at, reason: `an operation does not unpack (${(error as Error).message})` };
    }
  }
  return handedOver(outputs);
}

const unpackers = {
  replace: ({ data }: PackedOperation) => data,
  'replace bz2': async ({ data, bytes }: PackedOperation) => (await bzip2()).decompress(data, bytes),
  'replace xz': async (operation: PackedOperation) => (await unpackXz([operation]))[0]!,
  'replace zstd': ({ data, bytes }: PackedOperation) => {
    const output = Buffer.allocUnsafeSlow(bytes);
    return output.subarray(
      0,
      decompressor.decompress(output, Buffer.from(data.buffer, data.byteOffset, data.length)),
    );
  },
};

// The binding itself rather than its wrapper: it never writes more than there is room for.
const decompressor = new zstd.DCtx();

let loading: ReturnType<(typeof Bzip2)['init']> | undefined;
const bzip2 = () => (loading ??= Bzip2.init());

/** Memory goes to whoever asked, uncopied. */
function handedOver(outputs: readonly Uint8Array[]): Unpacked {
  const own = outputs.map((output) =>
    output.length === output.buffer.byteLength ? output : new Uint8Array(output),
  );
  const answer = {
    [transferableSymbol]: own.map(({ buffer }) => buffer),
    [valueSymbol]: { outputs: own },
  };
  return move(answer) as unknown as Unpacked;
}
