/** A run of bytes that are all zero, or of bytes that are given. */
export type Stretch =
  | { readonly kind: 'zeros'; readonly offset: number; readonly bytes: number }
  | { readonly kind: 'data'; readonly offset: number; readonly parts: AsyncIterable<Uint8Array> };

export interface StretchSizes {
  /** Every stretch begins at a multiple of this, and every run of zeros is one. */
  readonly alignBytes: number;
  /** A shorter run of zeros goes along with the data around it. */
  readonly leastBytes: number;
  /** A longer run of zeros comes as several. */
  readonly mostBytes: number;
  /** Longer data comes as several, each of about so much when it begins. */
  readonly mostDataBytes?: () => number;
}

const zeros = Buffer.alloc(1 << 20);

function isZero(piece: Uint8Array): boolean {
  const bytes = Buffer.from(piece.buffer, piece.byteOffset, piece.length);
  for (let at = 0; at < bytes.length; at += zeros.length) {
    const part = bytes.subarray(at, at + zeros.length);
    if (part.compare(zeros, 0, part.length) !== 0) return false;
  }
  return true;
}

function* zeroParts(bytes: number): Generator<Uint8Array> {
  for (let left = bytes; left > 0; left -= zeros.length)
    yield zeros.subarray(0, Math.min(left, zeros.length));
}

/**
 * Cuts bytes into stretches of zeros and stretches of data. Zeros are told by whole pieces; a piece need only be
 * good until the next one is asked for. The parts of a stretch must be read to their end before the next stretch.
 */
export async function* stretches(
  stream: AsyncIterable<Uint8Array>,
  { alignBytes, leastBytes, mostBytes, mostDataBytes = () => Infinity }: StretchSizes,
): AsyncGenerator<Stretch> {
  const pieces = stream[Symbol.asyncIterator]();
  /** The piece with which data goes on; it was asked for and not handed out. */
  let held: Uint8Array | undefined;
  /** Zeros behind what was handed out. */
  let pending = 0;
  let at = 0;
  let isOver = false;
  /** Asks for one more piece: zeros are counted, anything else is held. */
  const look = async () => {
    const next = await pieces.next();
    if (next.done) isOver = true;
    else if (isZero(next.value)) pending += next.value.length;
    else held = next.value;
  };
  async function* data(): AsyncGenerator<Uint8Array> {
    const until = at + mostDataBytes();
    for (;;) {
      if (at >= until && pending === 0 && at % alignBytes === 0) return;
      if (held || isOver) {
        for (const part of zeroParts(pending)) yield part;
        at += pending;
        pending = 0;
        if (!held) return;
        const piece = held;
        held = undefined;
        at += piece.length;
        yield piece;
      } else if (pending >= leastBytes && at % alignBytes === 0) return;
      else await look();
    }
  }
  try {
    await look();
    while (held || pending > 0 || !isOver) {
      while (!held && !isOver && pending < mostBytes) await look();
      const whole = pending - (pending % alignBytes);
      if (whole >= leastBytes && at % alignBytes === 0) {
        yield { kind: 'zeros', offset: at, bytes: whole };
        at += whole;
        pending -= whole;
      } else if (held || pending > 0) yield { kind: 'data', offset: at, parts: data() };
    }
  } finally {
    await pieces.return?.();
  }
}

/** Bytes that are to go to a place. */
export interface GivenRange {
  readonly offset: number;
  readonly parts: AsyncIterable<Uint8Array>;
}

/** The stretches of ranges, each of which begins at a multiple of what stretches begin at. */
export async function* stretchesOf(
  ranges: AsyncIterable<GivenRange>,
  sizes: StretchSizes,
): AsyncGenerator<Stretch> {
  for await (const { offset, parts } of ranges)
    for await (const each of stretches(parts, sizes)) yield { ...each, offset: offset + each.offset };
}
