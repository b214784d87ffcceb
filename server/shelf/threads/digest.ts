import { blake3, Blake3Hasher } from '@napi-rs/blake-hash';

/** A chunk's name: BLAKE3 with its usual 256 bits over its plain bytes. */
export const chunkDigest = (bytes: Uint8Array): Buffer => blake3(bytes);

/** The same digest over bytes that come in pieces. */
export class ChunkDigest {
  private readonly hasher = new Blake3Hasher();

  update(bytes: Uint8Array): void {
    this.hasher.update(bytes);
  }

  digest(): Buffer {
    return this.hasher.digestBuffer();
  }
}
