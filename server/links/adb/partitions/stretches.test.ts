import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { stretches, type Stretch } from './stretches.ts';

const sizes = { alignBytes: 4, leastBytes: 8, mostBytes: 16 };

/** Hands out pieces that are good only until the next is asked for. */
async function* fleeting(pieces: readonly Uint8Array[]): AsyncGenerator<Uint8Array> {
  for (const piece of pieces) {
    const own = Uint8Array.from(piece);
    yield own;
    own.fill(0xee);
    await Promise.resolve();
  }
}

interface Cut {
  readonly kind: Stretch['kind'];
  readonly offset: number;
  readonly bytes: Buffer;
}
async function cut(pieces: readonly Uint8Array[]): Promise<Cut[]> {
  const found: Cut[] = [];
  for await (const each of stretches(fleeting(pieces), sizes)) {
    const { kind, offset } = each;
    if (each.kind === 'zeros') found.push({ kind, offset, bytes: Buffer.alloc(each.bytes) });
    else {
      const parts: Buffer[] = [];
      for await (const part of each.parts) parts.push(Buffer.from(part));
      found.push({ kind, offset, bytes: Buffer.concat(parts) });
    }
  }
  return found;
}
const briefly = async (...pieces: (readonly number[])[]) =>
  (await cut(pieces.map((piece) => Uint8Array.from(piece)))).map(
    ({ kind, offset, bytes }) => `${kind} ${offset} ${bytes.length}`,
  );
const [full, empty] = [
  [1, 2, 3, 4],
  [0, 0, 0, 0],
];

describe('stretches of zeros', () => {
  it('are told apart from data where they are long enough', async () => {
    expect(await briefly(full, empty, full)).toEqual(['data 0 12']);
    expect(await briefly(full, empty, empty, full)).toEqual(['data 0 4', 'zeros 4 8', 'data 12 4']);
    expect(await briefly(empty, empty, full)).toEqual(['zeros 0 8', 'data 8 4']);
    expect(await briefly(full, empty, empty)).toEqual(['data 0 4', 'zeros 4 8']);
  });

  it('come in pieces of at most a size, and may be all there is, or nothing', async () => {
    expect(await briefly(...Array.from({ length: 9 }, () => empty))).toEqual([
      'zeros 0 16',
      'zeros 16 16',
      'data 32 4',
    ]);
    expect(await briefly(empty)).toEqual(['data 0 4']);
    expect(await briefly()).toEqual([]);
  });

  it('begin where they may: what ends crooked goes along as data', async () => {
    expect(await briefly([1, 2], empty, empty, full)).toEqual(['data 0 14']);
    expect(await briefly(full, empty, empty, [0, 0])).toEqual(['data 0 4', 'zeros 4 8', 'data 12 2']);
  });

  it('are, put together, what came', async () => {
    const piece = fc.oneof(
      fc.constantFrom(0, 4, 8, 12, 3).map((length) => new Uint8Array(length)),
      fc.uint8Array({ minLength: 1, maxLength: 12, max: 2 }),
    );
    await fc.assert(
      fc.asyncProperty(fc.array(piece, { maxLength: 20 }), async (pieces) => {
        const found = await cut(pieces);
        let at = 0;
        for (const { kind, offset, bytes } of found) {
          expect(offset).toBe(at);
          expect(offset % sizes.alignBytes).toBe(0);
          if (kind === 'zeros') expect(bytes.length % sizes.alignBytes).toBe(0);
          at += bytes.length;
        }
        expect(Buffer.concat(found.map(({ bytes }) => bytes))).toEqual(Buffer.concat(pieces));
      }),
    );
  });

  it('end the source when they are given up', async () => {
    let isEnded = false;
    async function* source() {
      try {
        for (;;) yield await Promise.resolve(Uint8Array.from(full));
      } finally {
        isEnded = true;
      }
    }
    for await (const each of stretches(source(), sizes)) {
      expect(each.kind).toBe('data');
      break;
    }
    expect(isEnded).toBe(true);
  });
});
