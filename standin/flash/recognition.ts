import { setImmediate } from 'node:timers/promises';
import { Blake3Hasher } from '@napi-rs/blake-hash';

/** What is recognised by itself. */
export const markBytes = 1 << 20;

const bufferOf = (part: Uint8Array, from: number, bytes: number) =>
  Buffer.from(part.buffer, part.byteOffset + from, bytes);

const computedAtOnce = 16;

/** Of a mebibyte. */
const markOf = (piece: Uint8Array): Buffer =>
  new Blake3Hasher().update(bufferOf(piece, 0, piece.length)).digestBuffer();

/**
 * What content is recognised by: BLAKE3 over the BLAKE3 of each of its mebibytes, so that what is known of one need not be read
 * again.
 */
export class Recognition {
  private readonly whole = new Blake3Hasher();
  private piece = new Blake3Hasher();
  private inPiece = 0;

  update(part: Uint8Array): void {
    for (let at = 0; at < part.length;) {
      const more = Math.min(part.length - at, markBytes - this.inPiece);
      this.piece.update(bufferOf(part, at, more));
      this.inPiece += more;
      at += more;
      if (this.inPiece === markBytes) this.endPiece();
    }
  }

  /** A mebibyte by its mark, after whole ones. */
  add(mark: Buffer): void {
    this.whole.update(mark);
  }

  /** Lower-case hexadecimal. */
  digest(): string {
    if (this.inPiece > 0) this.endPiece();
    return this.whole.digest('hex');
  }

  private endPiece(): void {
    this.add(this.piece.digestBuffer());
    this.piece = new Blake3Hasher();
    this.inPiece = 0;
  }
}

/** Marks of a flash's mebibytes: each is computed when it is asked for, and holds until it is written to. */
export class Marks {
  private readonly marks = new Map<number, Buffer>();
  private readonly memory = Buffer.allocUnsafeSlow(markBytes);

  /** @param read at once, in one go */
  constructor(private readonly read: (offset: number, into: Uint8Array) => Uint8Array) {}

  written(offset: number, bytes: number): void {
    const last = Math.floor((offset + bytes - 1) / markBytes);
    for (let i = Math.floor(offset / markBytes); i <= last; i++) this.marks.delete(i);
  }

  /** What a stretch is recognised by. @returns undefined where it does not begin with a mebibyte */
  async recognise(offset: number, bytes: number): Promise<string | undefined> {
    if (offset % markBytes !== 0) return undefined;
    const recognition = new Recognition();
    const end = offset + bytes;
    let at = offset;
    let computed = 0;
    for (; at + markBytes <= end; at += markBytes) {
      const known = this.marks.get(at / markBytes);
      recognition.add(known ?? this.mark(at / markBytes));
      // The phone does other things meanwhile.
      if (!known && ++computed % computedAtOnce === 0) await setImmediate();
    }
    if (at < end) recognition.update(this.read(at, this.memory.subarray(0, end - at)));
    return recognition.digest();
  }

  private mark(i: number): Buffer {
    const mark = markOf(this.read(i * markBytes, this.memory));
    this.marks.set(i, mark);
    return mark;
  }
}
