import { BucketFailure } from '../../server/failures.ts';
import type { Bucket, BucketObject } from '../../server/offsite/bucket.ts';

type Operation = 'put' | 'get' | 'list' | 'remove';

/** A bucket in memory, whose faults a test chooses. */
export class MemoryBucket implements Bucket {
  readonly place = 'the bucket in memory';
  readonly objects = new Map<string, Buffer>();
  /** What was asked for, in its order. */
  readonly asked: { readonly operation: Operation; readonly name: string; readonly bytes: number }[] = [];
  /** Called before each operation; may throw, or wait. */
  before: (operation: Operation, name: string) => void | Promise<void> = () => undefined;
  /** What is kept of what is put; undefined for nothing at all, though it is said to be there. */
  keeps: (name: string, bytes: Buffer) => Buffer | undefined = (_, bytes) => bytes;

  async put(name: string, bytes: Uint8Array): Promise<void> {
    await this.ask('put', name, bytes.length);
    const kept = this.keeps(name, Buffer.from(bytes));
    if (kept) this.objects.set(name, kept);
  }

  async get(name: string, range?: { readonly offset: number; readonly bytes: number }): Promise<Buffer> {
    await this.ask('get', name, range?.bytes ?? 0);
    const found = this.objects.get(name);
    if (!found) throw new BucketFailure(`${this.place} did not give ${name}: there is no such object.`);
    return range ? found.subarray(range.offset, range.offset + range.bytes) : found;
  }

  async *list(prefix: string): AsyncGenerator<BucketObject> {
    await this.ask('list', prefix, 0);
    // As it is at one moment, in the order of names.
    const found = [...this.objects].filter(([name]) => name.startsWith(prefix));
    for (const [name, bytes] of found.sort(([a], [b]) => (a < b ? -1 : 1)))
      yield { name, bytes: bytes.length };
  }

  async remove(name: string): Promise<void> {
    await this.ask('remove', name, 0);
    this.objects.delete(name);
  }

  /** How often something was asked for since. */
  count(operation: Operation, prefix = ''): number {
    return this.asked.filter((each) => each.operation === operation && each.name.startsWith(prefix)).length;
  }

  private async ask(operation: Operation, name: string, bytes: number): Promise<void> {
    this.asked.push({ operation, name, bytes });
    await this.before(operation, name);
  }
}
