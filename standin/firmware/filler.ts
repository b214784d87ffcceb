/** What a large file of the simulated firmware holds; its bytes follow from kind and seed alone. */
export type FillerKind = 'program' | 'records';

/** xorshift128 (Marsaglia, 2003): fast, seeded, and enough to look like compressed program code. */
export function generator(seed: number): () => number {
  let x = seed | 1;
  let y = 362436069 ^ seed;
  let z = 521288629;
  let w = 88675123 + seed;
  return () => {
    const t = x ^ (x << 11);
    x = y;
    y = z;
    z = w;
    w = (w ^ (w >>> 19) ^ t ^ (t >>> 8)) | 0;
    return w >>> 0;
  };
}

/** What the generator says, written out: a call for each word would take three times as long. */
function programCode(seed: number, bytes: number): Buffer {
  const words = new Uint32Array(Math.ceil(bytes / 4));
  let x = seed | 1;
  let y = 362436069 ^ seed;
  let z = 521288629;
  let w = 88675123 + seed;
  for (let i = 0; i < words.length; i++) {
    const t = x ^ (x << 11);
    x = y;
    y = z;
    z = w;
    w = (w ^ (w >>> 19) ^ t ^ (t >>> 8)) | 0;
    words[i] = w;
  }
  return Buffer.from(words.buffer, 0, bytes);
}

const sightings = ['dunlin', 'knot', 'curlew', 'redshank', 'turnstone', 'sanderling', 'plover', 'tern'];
const places = ['north hide', 'ringing hut', 'boat shed', 'east wall', 'visitor desk', 'sluice'];

/**
 * Fills a file's bytes: `program` does not compress, `records` are lines of text that do.
 * @param bytes how many; at least 1
 */
export function filler(kind: FillerKind, seed: number, bytes: number): Buffer {
  if (kind === 'program') return programCode(seed, bytes);
  const next = generator(seed);
  const out = Buffer.alloc(bytes);
  for (let at = 0, row = 1; at < bytes; row++) {
    const line = `${row};${sightings[next() % sightings.length]};${next() % 400};${places[next() % places.length]}\n`;
    at += out.write(line, at, 'latin1');
  }
  return out;
}
