import { layout, u16, u32 } from '../../bytes/layout.ts';

/** Sparse image header (AOSP system/core/libsparse, sparse_format.h), little endian. */
export const sparseHeader = layout('android-sparse', {
  magic: u32, // 0xed26ff3a
  majorVersion: u16,
  minorVersion: u16,
  fileHeaderBytes: u16,
  chunkHeaderBytes: u16,
  blockBytes: u32,
  totalBlocks: u32,
  totalChunks: u32,
  imageCrc32: u32,
});

/** Header of every chunk. */
export const chunkHeader = layout('android-sparse', {
  chunkType: u16,
  reserved: u16,
  chunkBlocks: u32, // in the output
  totalBytes: u32, // in the input, this header included
});

export const sparseMagic = 0xed26ff3a;
export const chunkTypes = { raw: 0xcac1, fill: 0xcac2, dontCare: 0xcac3, crc32: 0xcac4 } as const;
