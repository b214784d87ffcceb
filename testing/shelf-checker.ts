// Reads a shelf by docs/shelf-format.md alone; shares no code with the application.
import { createHash } from 'node:crypto';
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { blake3 } from '@napi-rs/blake-hash';
import { decompress } from 'zstd-napi';

/** A manifest, as far as it is needed to get the images back. */
interface Manifest {
  readonly label: string;
  readonly images: readonly {
    readonly partition: string;
    readonly bytes: number;
    readonly chunkBytes: number;
    readonly sha256: string;
    readonly chunks: readonly string[];
  }[];
}

const recordBytes = 48;
const trailerBytes = 56;

/** Chunks of all packs whose trailer stands at their end, by name; those that are not what their names say are left out. */
export function chunksOn(shelf: string): Map<string, Buffer> {
  const chunks = new Map<string, Buffer>();
  const folder = join(shelf, 'packs');
  for (const name of readdirSync(folder).filter((each) => each.endsWith('.pack'))) {
    const pack = readFileSync(join(folder, name));
    const end = pack.length - trailerBytes;
    for (let at = 0; at + recordBytes <= end;) {
      if (pack.toString('latin1', at, at + 4) !== 'KLck') break;
      const [codec, stored, plain] = [pack[at + 4], pack.readUInt32LE(at + 8), pack.readUInt32LE(at + 12)];
      const own = pack.toString('hex', at + 16, at + 48);
      const bytes = pack.subarray(at + recordBytes, at + recordBytes + stored);
      at += recordBytes + stored;
      try {
        const chunk = codec === 1 ? decompress(bytes) : Buffer.from(bytes);
        if (chunk.length === plain && blake3(chunk).toString('hex') === own) chunks.set(own, chunk);
      } catch {
        // It does not unpack: it is left out.
      }
    }
  }
  return chunks;
}

/** Whether a manifest with a checksum is as that says: SHA-256 of its text with 64 zeros in the checksum's place. */
function isAsWritten(text: string): boolean {
  const [, before, digest, after] = /^(\{\n "checksum": ")([0-9a-f]{64})(".*)$/s.exec(text) ?? [];
  if (digest === undefined) return true;
  return (
    createHash('sha256')
      .update(`${before}${'0'.repeat(64)}${after}`)
      .digest('hex') === digest
  );
}

/** A manifest that can be read; a damaged one says nothing. */
function manifestIn(text: string): Manifest | undefined {
  if (!isAsWritten(text)) return undefined;
  try {
    const { label, images } = JSON.parse(text) as Partial<Manifest>;
    const isWhole = images?.every(
      ({ chunks, bytes, chunkBytes, sha256 }) =>
        Array.isArray(chunks) && [bytes, chunkBytes, sha256].every((each) => each !== undefined),
    );
    return label !== undefined && isWhole ? { label, images: images! } : undefined;
  } catch {
    return undefined;
  }
}

/** Which of the sets whose manifests can be read are whole, by their ids. */
export function wholeSets(shelf: string): Map<string, boolean> {
  const chunks = chunksOn(shelf);
  const folder = join(shelf, 'manifests');
  const found = new Map<string, boolean>();
  for (const name of readdirSync(folder).filter((each) => each.endsWith('.json'))) {
    const manifest = manifestIn(readFileSync(join(folder, name), 'utf8'));
    if (!manifest) continue;
    const isWhole = manifest.images.every(({ bytes, chunkBytes, sha256, chunks: names }) => {
      const parts = names.map((chunk, i) => {
        const length = Math.min(chunkBytes, bytes - i * chunkBytes);
        return chunk === '0' ? Buffer.alloc(length) : chunks.get(chunk);
      });
      if (parts.some((part) => part === undefined)) return false;
      const image = Buffer.concat(parts as Buffer[]);
      return image.length === bytes && createHash('sha256').update(image).digest('hex') === sha256;
    });
    found.set(name.slice(0, -'.json'.length), isWhole);
  }
  return found;
}
