import { randomUUID } from 'node:crypto';
import type { OffsiteStatements } from '../database/offsite/offsite.ts';
import { BucketFailure, DamagedImage, SealFailure, ShelfFailure } from '../failures.ts';
import { sealedSize } from '../sealing/sealed-object.ts';
import { indexOf, packOf, recordsIn } from '../shelf/packs/pack-bytes.ts';
import { packBytes, type PackedChunk } from '../shelf/packs/pack-format.ts';
import { checkChunk } from '../shelf/packs/unpack-chunk.ts';
import type { Shelf } from '../shelf/shelf.ts';
import { objectNames } from './bucket.ts';
import { hasAny, type BucketState } from './bucket-state.ts';
import type { SealedBucket } from './sealed-bucket.ts';

/** What is asked for at once, and what may lie unused between two chunks of it. */
const mostSpanBytes = 8 << 20;
const mostGapBytes = 256 << 10;

interface OffsitePacksParts {
  readonly sealed: SealedBucket;
  readonly rows: OffsiteStatements;
  /** Of this bench. */
  readonly bench: string;
  readonly shelf: Pick<Shelf, 'find' | 'readChunk' | 'reportDamage'>;
  /** Called with what each object takes, before it is sent. */
  readonly pace?: (bytes: number) => Promise<void>;
}

/** Packs in the bucket: which chunks they have, sending those that are missing, and reading them. */
export class OffsitePacks {
  private waiting: PackedChunk[] = [];
  private waitingBytes = 0;
  /** A pack on its way, while the chunks of the next are read. */
  private sending: Promise<void> = Promise.resolve();
  private readonly coming = new Set<string>();
  /** Packs that this bench needs and has said so, as far as is known. */
  private claimed = new Set<string>();

  constructor(private readonly parts: OffsitePacksParts) {}

  /**
   * Learns of packs that others put there, and forgets those that are gone, cut or about to go.
   * @returns whether any is gone
   * @throws BucketFailure, SealFailure
   */
  async bringUpToDate({ packs, indexes, claims, tombstones }: BucketState): Promise<boolean> {
    const { rows, bench } = this.parts;
    let isLess = false;
    const known = new Set<string>();
    for (const { name, bytes } of rows.packs()) {
      if (packs.get(name) === bytes && indexes.has(name) && !tombstones.has(name)) known.add(name);
      else {
        rows.dropPack(name);
        isLess = true;
      }
    }
    for (const [name, bytes] of packs) {
      if (known.has(name) || !indexes.has(name) || tombstones.has(name)) continue;
      const records = await this.recordsOf(name);
      // One that was cut off on its way counts for nothing.
      if (records && sealedSize(records.bytes) === bytes) rows.addPack(name, bytes, records.list);
    }
    this.claimed = new Set([...claims].filter(([, by]) => by.has(bench)).map(([name]) => name));
    return isLess;
  }

  /** Undefined where its index cannot be read. */
  private async recordsOf(name: string): Promise<ReturnType<typeof recordsIn> | undefined> {
    try {
      return recordsIn(await this.parts.sealed.get(objectNames.index(name)));
    } catch (error) {
      if (error instanceof SealFailure) return undefined;
      throw error;
    }
  }

  has(digest: Uint8Array): boolean {
    return this.coming.has(keyOf(digest)) || this.parts.rows.find(digest) !== undefined;
  }

  /** @throws DamagedImage where a chunk is known to be damaged here: then nothing of what needs it is sent */
  requireWhole(digests: Iterable<Buffer>): void {
    for (const digest of digests)
      if (!this.has(digest) && this.parts.shelf.find(digest)?.damage !== null)
        throw new DamagedImage('a part of it is damaged on the shelf');
  }

  /**
   * Sends a chunk that the bucket does not have, with others in a pack.
   * @returns bytes of what it is stored as
   * @throws DamagedImage where it is not as it was on the shelf
   */
  async send(digest: Buffer): Promise<number> {
    const { shelf } = this.parts;
    const row = shelf.find(digest);
    if (!row) throw new DamagedImage('a part of it is not on the shelf');
    const chunk = await shelf.readChunk(row).catch((error: unknown) => {
      if (error instanceof ShelfFailure) throw error;
      throw new DamagedImage(`a part of it cannot be read (${(error as Error).message})`);
    });
    const fault = chunk
      ? checkChunk(bufferOf(chunk.stored), { ...chunk, digest })
      : 'is not as it was sealed';
    if (!chunk || fault) {
      shelf.reportDamage(digest, fault!);
      throw new DamagedImage(`a part of it ${fault}`);
    }
    this.waiting.push(chunk);
    this.coming.add(keyOf(digest));
    this.waitingBytes += chunk.stored.length;
    if (this.waitingBytes >= packBytes) await this.handOver();
    return chunk.stored.length;
  }

  /** Sends what waits; it is there when this has resolved. */
  async flush(): Promise<void> {
    await this.handOver();
    await this.sending;
  }

  /** Begins to send what waits, once the pack before has arrived: one is on its way at a time. */
  private async handOver(): Promise<void> {
    await this.sending;
    const chunks = this.waiting;
    [this.waiting, this.waitingBytes] = [[], 0];
    if (chunks.length === 0) return;
    this.sending = this.sendPack(chunks);
    // Told to whoever waits for it.
    this.sending.catch(() => undefined);
  }

  private async sendPack(chunks: readonly PackedChunk[]): Promise<void> {
    const { sealed, rows, bench, pace } = this.parts;
    const { bytes, records } = packOf(chunks);
    const name = randomUUID();
    await pace?.(bytes.length);
    await sealed.put(objectNames.claim(name, bench), new Uint8Array());
    this.claimed.add(name);
    const size = await sealed.put(objectNames.pack(name), bytes);
    await sealed.put(objectNames.index(name), indexOf(chunks));
    rows.addPack(name, size, records);
    for (const { digest } of chunks) this.coming.delete(keyOf(digest));
  }

  /** Packs that have one of some chunks are relied upon no more. @returns how many */
  forgetThoseWith(digests: readonly Buffer[]): number {
    const { rows } = this.parts;
    let count = 0;
    for (const digest of digests)
      for (let found = rows.find(digest); found; found = rows.find(digest)) {
        const { packId } = found;
        const { name } = rows.packs().find(({ id }) => id === packId)!;
        this.forget(name);
        count++;
      }
    return count;
  }

  /** This bench needs a pack no more. */
  forget(name: string): void {
    this.claimed.delete(name);
    this.parts.rows.dropPack(name);
  }

  /** Forgets what waits to be sent, when nothing is on its way any more. */
  async discard(): Promise<void> {
    await this.sending.catch(() => undefined);
    this.sending = Promise.resolve();
    [this.waiting, this.waitingBytes] = [[], 0];
    this.coming.clear();
  }

  /**
   * Says that this bench needs the packs of some chunks, and makes sure that they stay.
   * @returns false where one of them is gone or about to go; it is forgotten then
   */
  async claim(digests: Iterable<Buffer>): Promise<boolean> {
    const names = this.packsOf(digests);
    return names !== undefined && this.claimPacks(names);
  }

  /** As `claim`, by names. @param again also those that this bench has claimed before */
  async claimPacks(names: Iterable<string>, again = false): Promise<boolean> {
    const { sealed, rows, bench } = this.parts;
    let isSafe = true;
    for (const name of names) {
      if (this.claimed.has(name) && !again) continue;
      await sealed.put(objectNames.claim(name, bench), new Uint8Array());
      // In this order: whoever removes a pack writes a tombstone first, and takes it away after the pack.
      const isGoing = await hasAny(sealed.bucket, `${objectNames.tombstones}${name}/`);
      if (!isGoing && (await hasAny(sealed.bucket, objectNames.pack(name)))) this.claimed.add(name);
      else {
        rows.dropPack(name);
        isSafe = false;
      }
    }
    return isSafe;
  }

  /** Of chunks, as far as they are known. */
  storedBytes(digests: Iterable<Buffer>): number {
    let sum = 0;
    for (const digest of digests) sum += this.parts.rows.find(digest)?.storedBytes ?? 0;
    return sum;
  }

  /** Names of the packs that have some chunks; undefined where one is in none. */
  packsOf(digests: Iterable<Buffer>): Set<string> | undefined {
    const { rows } = this.parts;
    const ids = new Set<number>();
    for (const digest of digests) {
      const found = rows.find(digest);
      if (!found) return undefined;
      ids.add(found.packId);
    }
    return new Set(
      rows
        .packs()
        .filter(({ id }) => ids.has(id))
        .map(({ name }) => name),
    );
  }

  /**
   * Reads chunks, each checked against its name; those that lie beside each other are asked for at once.
   * @throws BucketFailure where one is not there, or is not what it is to be
   */
  async *read(digests: Iterable<Buffer>): AsyncGenerator<PackedChunk> {
    const { rows, sealed } = this.parts;
    const packs = new Map(rows.packs().map((pack) => [pack.id, pack]));
    const places = [...digests].map((digest) => {
      const found = rows.find(digest);
      if (!found)
        throw new BucketFailure(
          `${sealed.bucket.place} has no pack with the chunk ${keyOf(digest).slice(0, 12)}.`,
        );
      return found;
    });
    places.sort((a, b) => a.packId - b.packId || a.offset - b.offset);
    for (let i = 0; i < places.length;) {
      const first = places[i]!;
      let [end, last] = [first.offset + first.storedBytes, i + 1];
      for (; last < places.length; last++) {
        const next = places[last]!;
        const stop = next.offset + next.storedBytes;
        if (
          next.packId !== first.packId ||
          next.offset - end > mostGapBytes ||
          stop - first.offset > mostSpanBytes
        )
          break;
        end = stop;
      }
      const { name, bytes } = packs.get(first.packId)!;
      const span = await sealed.readPack(name, bytes, first.offset, end - first.offset);
      for (const { digest, codec, offset, storedBytes, plainBytes } of places.slice(i, last)) {
        const stored = span.subarray(offset - first.offset, offset - first.offset + storedBytes);
        const fault = checkChunk(stored, { codec, digest, plainBytes });
        if (fault)
          throw new BucketFailure(`A chunk in ${sealed.bucket.place} ${fault}: ${name} at ${offset}.`);
        yield { digest, codec, stored, plainBytes };
      }
      i = last;
    }
  }
}

const bufferOf = ({ buffer, byteOffset, length }: Uint8Array) => Buffer.from(buffer, byteOffset, length);
const keyOf = (digest: Uint8Array): string => Buffer.from(digest).toString('hex');
