/** Pieces in one, in order. */
export function joinBytes(parts: readonly Uint8Array[]): Uint8Array {
  const out = new Uint8Array(parts.reduce((sum, { length }) => sum + length, 0));
  let at = 0;
  for (const part of parts) {
    out.set(part, at);
    at += part.length;
  }
  return out;
}

/** Bytes with zeros behind them up to a multiple of `to`. */
export function padBytes(bytes: Uint8Array, to: number): Uint8Array {
  const out = new Uint8Array(Math.ceil(bytes.length / to) * to);
  out.set(bytes);
  return out;
}
