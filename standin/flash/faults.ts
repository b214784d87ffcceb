import type { ByteRange } from '@keen-larder/core/bytes/ranges.ts';
import { generator } from '../firmware/filler.ts';

/** What can be wrong with a flash and with the way from it; every fault follows from its seed. */
/** Those that have places on the flash. */
type PlacedFault = 'worn' | 'weak' | 'unwritable';
export type FaultKind = PlacedFault | 'flaky-cable' | 'full';
export const faultKinds: readonly FaultKind[] = ['worn', 'weak', 'unwritable', 'flaky-cable', 'full'];

/** A block that the flash gives up on. */
export class IoError extends Error {
  constructor() {
    super('I/O error');
  }
}

/** Flash wears by pages; a kernel reads and reports in pages of memory. */
const pageBytes = 4096;

/** The faults of one phone, and the dice that decide where they strike. */
export class Faults {
  private readonly places = new Map<PlacedFault, readonly ByteRange[]>();
  /** User data has no room for another file. */
  isFull = false;
  private flipEvery = Infinity;
  private untilFlip = Infinity;
  private next = generator(1);

  /** Blocks that cannot be read, come out differently each time, or cannot be written. */
  set(kind: PlacedFault, places: readonly ByteRange[]): void {
    this.places.set(kind, places);
  }

  /** Some pages of a stretch of flash, by seed. */
  strike(kind: PlacedFault, within: ByteRange, pages: number, seed: number): ByteRange[] {
    const next = generator(seed);
    const there = Math.floor(within.bytes / pageBytes);
    const places = Array.from({ length: pages }, () => ({
      offset: within.offset + (next() % there) * pageBytes,
      bytes: pageBytes,
    }));
    this.set(kind, [...(this.places.get(kind) ?? []), ...places]);
    return places;
  }

  /** Flips a bit about every so many bytes on their way out, never in the same place. */
  flip(everyBytes: number, seed: number): void {
    this.next = generator(seed);
    this.flipEvery = everyBytes;
    this.rollFlip();
  }

  clear(): void {
    this.places.clear();
    this.isFull = false;
    this.flipEvery = Infinity;
    this.untilFlip = Infinity;
  }

  get names(): FaultKind[] {
    return [
      ...this.places.keys(),
      ...(this.flipEvery < Infinity ? (['flaky-cable'] as const) : []),
      ...(this.isFull ? (['full'] as const) : []),
    ];
  }

  /** @throws IoError where a worn page lies within what was read */
  afterRead(offset: number, bytes: Uint8Array): void {
    if (this.hits('worn', offset, bytes.length).length > 0) throw new IoError();
    for (const place of this.hits('weak', offset, bytes.length)) {
      const at = Math.max(0, place.offset - offset);
      bytes[at]! ^= 1 << (this.next() & 7);
      bytes[Math.min(bytes.length - 1, at + (this.next() % pageBytes))]! ^= 1;
    }
  }

  /** @throws IoError where a page within cannot be written */
  beforeWrite(offset: number, bytes: number): void {
    if (this.hits('unwritable', offset, bytes).length > 0) throw new IoError();
  }

  /** What a bad cable makes of bytes; the very bytes when it leaves them alone. */
  onCable(bytes: Uint8Array): Uint8Array {
    if (this.untilFlip > bytes.length) {
      this.untilFlip -= bytes.length;
      return bytes;
    }
    const changed = Uint8Array.from(bytes);
    let at = 0;
    while (at + this.untilFlip < changed.length) {
      at += this.untilFlip;
      changed[at]! ^= 1 << (this.next() & 7);
      this.rollFlip();
    }
    this.untilFlip -= changed.length - at;
    return changed;
  }

  private rollFlip(): void {
    this.untilFlip = 1 + (this.next() % (this.flipEvery * 2));
  }

  private hits(kind: PlacedFault, offset: number, bytes: number): ByteRange[] {
    return (this.places.get(kind) ?? []).filter(
      (place) => place.offset < offset + bytes && offset < place.offset + place.bytes,
    );
  }
}
