import { ascii, layout, raw, u32, u64, u8 } from '@keen-larder/core/bytes/layout.ts';

/** Record header before every chunk of a pack; see docs/shelf-format.md. */
export const recordHeader = layout('pack', {
  magic: ascii(4), // "KLck"
  codec: u8,
  reserved: raw(3),
  storedBytes: u32,
  plainBytes: u32,
  digest: raw(32),
});

/** Stands at the end of a sealed pack. */
export const packTrailer = layout('pack', {
  magic: ascii(8), // "KLsealed"
  records: u32,
  reserved: u32,
  recordsBytes: u64, // bytes before this trailer
  digest: raw(32), // chunk digest over all record headers, one after the other
});

export const recordMagic = 'KLck';
export const trailerMagic = 'KLsealed';

/** `sealed` stands in the catalogue alone, for the whole record as it lies in the pack. */
export const codecs = { plain: 0, zstd: 1, sealed: 2 } as const;

/** Size at which block images are cut; also the largest chunk. */
export const chunkBytes = 256 * 1024;
/** Chunks are read, cut and handed to the workers in blocks of this size. */
export const blockBytes = 8 * chunkBytes;
/** A pack is sealed when it has grown to this. */
export const packBytes = 48 * 1024 * 1024;

export const digestBytes = 32;
/** Stands in a chunk list for a chunk of zeros, which takes no space. */
export const zeroDigest = Buffer.alloc(digestBytes);

export interface Record {
  readonly digest: Buffer;
  readonly codec: number;
  readonly offset: number;
  readonly storedBytes: number;
  readonly plainBytes: number;
}

/** A chunk ready to be stored. */
export interface PackedChunk {
  readonly digest: Buffer;
  readonly codec: number;
  readonly stored: Uint8Array;
  readonly plainBytes: number;
}
