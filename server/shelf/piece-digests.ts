import { coarseBytes, fineBytes } from '@keen-larder/core/phone/piece-sizes.ts';
import type { Block } from './threads/chunk-worker.ts';
import type { DigestStream, ShelfWorkers } from './threads/workers.ts';

/** In order, in lower-case hexadecimal; undefined where one is not known. */
export type PieceHex = readonly (string | undefined)[];

/** Digests of an image's pieces. They tell where to look and prove nothing. */
export interface KnownPieces {
  readonly by: 'sha256' | 'md5';
  /** Of coarse pieces. */
  readonly hex: PieceHex;
  /** Of fine ones. */
  readonly fine?: PieceHex;
}

const bytesOf = { sha256: 32, md5: 16 } as const;

/** As the catalogue keeps them: one behind the other, zeros where one is not known. */
export function packPieces(by: KnownPieces['by'], hex: PieceHex): Buffer {
  // An array with holes has none of them here.
  return Buffer.concat(Array.from(hex, (each) => Buffer.from(each ?? '00'.repeat(bytesOf[by]), 'hex')));
}

export function unpackPieces(by: KnownPieces['by'], packed: Buffer): PieceHex {
  const hex: (string | undefined)[] = [];
  for (let at = 0; at < packed.length; at += bytesOf[by]) {
    const digest = packed.subarray(at, at + bytesOf[by]);
    hex.push(digest.some((byte) => byte > 0) ? digest.toString('hex') : undefined);
  }
  return hex;
}

/** What is known of the same image from two sides; the first counts more. */
export function joinPieces(first: KnownPieces, second: KnownPieces): KnownPieces {
  if (first.by !== second.by) return first;
  const count = Math.max(first.hex.length, second.hex.length);
  return {
    ...second,
    ...first,
    hex: Array.from({ length: count }, (_, i) => first.hex[i] ?? second.hex[i]),
  };
}

const fineInCoarse = coarseBytes / fineBytes;

/** With the fine pieces of an earlier image, where the coarse one around them is as it was. */
export function withFineOf(known: KnownPieces, before: KnownPieces | undefined): KnownPieces {
  if (!before?.fine || before.by !== known.by) return known;
  const fine = before.fine.map((each, i) => {
    const at = Math.floor(i / fineInCoarse);
    return known.hex[at] !== undefined && known.hex[at] === before.hex[at] ? each : undefined;
  });
  return { ...known, fine };
}

/** Digests of an image's pieces, computed while its blocks pass for another reason. */
export class PieceDigests {
  private readonly found: (string | undefined)[] = [];
  private readonly settling: Promise<void>[] = [];
  private piece: { readonly offset: number; readonly stream: DigestStream; filled: number } | undefined;

  constructor(
    readonly by: KnownPieces['by'],
    private readonly pieceBytes: number,
    private readonly workers: ShelfWorkers,
  ) {}

  /**
   * Takes the block at an offset of the image; resolves when it may be used again. A piece of which not every byte passes in order
   * remains unknown.
   * @param hasTime false where a piece that begins here is better left out
   */
  async update(offset: number, block: Block, hasTime = true): Promise<void> {
    if (this.piece && this.piece.offset + this.piece.filled !== offset) this.forget();
    if (!this.piece && hasTime && offset % this.pieceBytes === 0)
      this.piece = { offset, stream: this.workers.digestStream(this.by), filled: 0 };
    if (!this.piece) return;
    const { stream } = this.piece;
    const taken = stream.update(block);
    this.piece.filled += block.bytes;
    if (this.piece.filled > this.pieceBytes) this.forget();
    else if (this.piece.filled === this.pieceBytes) this.endPiece();
    await taken;
  }

  /** @param bytes where the image ends: a last piece of which not all passed remains unknown */
  async end(bytes: number): Promise<KnownPieces> {
    if (this.piece && this.piece.offset + this.piece.filled === bytes) this.endPiece();
    else this.forget();
    await Promise.all(this.settling);
    return { by: this.by, hex: [...this.found] };
  }

  private endPiece(): void {
    const { piece } = this;
    if (!piece) return;
    this.piece = undefined;
    const at = piece.offset / this.pieceBytes;
    while (this.found.length <= at) this.found.push(undefined);
    this.settling.push(
      piece.stream.finish().then((digest) => void (this.found[at] = digest.toString('hex'))),
    );
  }

  private forget(): void {
    if (this.piece) void this.piece.stream.finish();
    this.piece = undefined;
  }
}
