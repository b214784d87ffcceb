import { availableParallelism } from 'node:os';
import { Piscina } from 'piscina';
import { FormatError } from '@keen-larder/core/bytes/format-error.ts';
import { readWithin, type ByteSource } from '@keen-larder/core/bytes/source.ts';
import type { Operation } from '@keen-larder/core/formats/update-payload/manifest.ts';
import { builtWorker } from '../../shelf/built-worker.ts';
import type { PackedOperation, Unpacked } from './operations-worker.ts';

const format = 'update payload';
/** What one operation writes; real ones write two megabytes, or fifty at most. */
const mostOperationBytes = 256 << 20;
/** What the operations that are unpacked together make; often only the beginning is wanted. */
const [leastBatchBytes, mostBatchBytes] = [2 << 20, 16 << 20];
const threads = Math.min(4, Math.max(2, availableParallelism()));
/** What is unpacked ahead makes no more; an operation may make much. */
const mostAheadBytes = 64 << 20;
/** The largest takes seconds. */
const mostMs = 300_000;
/** Operations that are wanted again, since they write in several places. */
const keptOperations = 4;

let pool: Piscina<readonly PackedOperation[], Unpacked> | undefined;
const theThreads = () =>
  (pool ??= new Piscina({
    filename: builtWorker('operations-worker').href,
    minThreads: 0,
    maxThreads: threads,
    idleTimeout: 10_000,
  }));

/** What the operations of a partition make, unpacked in threads a little ahead of where they are wanted. */
export class OperationOutputs {
  private readonly batches: readonly (readonly Operation[])[];
  private readonly batchOf = new Map<Operation, number>();
  private readonly begun = new Map<number, Promise<readonly Uint8Array[]>>();
  private readonly again = new Map<Operation, Promise<readonly Uint8Array[]>>();
  private furthest = 0;

  /** @param operations that write something, in the order in which they are wanted first */
  constructor(
    private readonly source: ByteSource,
    private readonly dataAt: number,
    private readonly blockBytes: number,
    private readonly partition: string,
    operations: Iterable<Operation>,
  ) {
    this.batches = inBatches(operations, (operation) => this.bytesOf(operation));
    for (const [i, batch] of this.batches.entries())
      for (const operation of batch) this.batchOf.set(operation, i);
  }

  /** @throws FormatError where it does not unpack to what it should; what the source throws */
  async of(operation: Operation): Promise<Uint8Array> {
    const batch = this.batchOf.get(operation)!;
    if (batch < this.furthest - 1) return (await this.onceMore(operation))[0]!;
    if (batch > this.furthest) {
      this.furthest = batch;
      for (const before of this.begun.keys()) if (before < batch - 1) this.begun.delete(before);
    }
    const outputs = this.begin(batch);
    // Who wants a second one wants them all.
    if (this.furthest > 0) this.goAhead();
    return (await outputs)[this.batches[batch]!.indexOf(operation)]!;
  }

  private goAhead(): void {
    let room = mostAheadBytes;
    for (let ahead = this.furthest + 1; ahead <= this.furthest + threads; ahead++) {
      const batch = this.batches[ahead];
      if (!batch) return;
      for (const operation of batch) room -= this.bytesOf(operation);
      if (room < 0) return;
      void this.begin(ahead);
    }
  }

  private begin(batch: number): Promise<readonly Uint8Array[]> {
    const known = this.begun.get(batch);
    if (known) return known;
    const outputs = this.unpacked(this.batches[batch]!);
    // Told to whoever wants it.
    outputs.catch(() => undefined);
    this.begun.set(batch, outputs);
    return outputs;
  }

  private onceMore(operation: Operation): Promise<readonly Uint8Array[]> {
    const known = this.again.get(operation);
    if (known) return known;
    const outputs = this.unpacked([operation]);
    this.again.set(operation, outputs);
    if (this.again.size > keptOperations) this.again.delete(this.again.keys().next().value!);
    return outputs;
  }

  private async unpacked(operations: readonly Operation[]): Promise<readonly Uint8Array[]> {
    const packed: PackedOperation[] = [];
    for (const operation of operations) {
      const { type, sha256, dataBytes } = operation;
      const bytes = this.bytesOf(operation);
      if (bytes > mostOperationBytes || dataBytes > mostOperationBytes)
        throw this.bad(operation, `an operation of ${Math.max(bytes, dataBytes)} bytes`);
      const data = await readWithin(this.source, this.dataOf(operation), dataBytes, format, 'data');
      // A view would cross with all the memory that it is a view of.
      packed.push({ type: type!, sha256: new Uint8Array(sha256), bytes, data: new Uint8Array(data) });
    }
    const limit = AbortSignal.timeout(mostMs);
    try {
      const transferList = packed.map(({ data }) => data.buffer as ArrayBuffer);
      const found = await theThreads().run(packed, { transferList, signal: limit });
      if ('outputs' in found) return found.outputs;
      throw this.bad(operations[found.at]!, found.reason);
    } catch (error) {
      if (limit.aborted) throw this.bad(operations[0]!, 'unpacking it comes to no end');
      throw error;
    }
  }

  private readonly bytesOf = ({ to }: Operation) =>
    to.reduce((sum, { count }) => sum + count, 0) * this.blockBytes;
  private readonly dataOf = ({ dataOffset }: Operation) => this.dataAt + dataOffset;
  private readonly bad = (operation: Operation, reason: string) =>
    new FormatError(format, 'data', this.dataOf(operation), `${this.partition}: ${reason}`);
}

/** One operation, and then more and more of them. */
function inBatches(
  operations: Iterable<Operation>,
  bytesOf: (operation: Operation) => number,
): Operation[][] {
  const batches: Operation[][] = [];
  let room = 0;
  for (const operation of operations) {
    const bytes = Math.max(bytesOf(operation), operation.dataBytes);
    if (bytes > room || batches.length < 2) {
      room = Math.min(leastBatchBytes * 2 ** batches.length, mostBatchBytes);
      batches.push([]);
    }
    room -= bytes;
    batches.at(-1)!.push(operation);
  }
  return batches;
}
