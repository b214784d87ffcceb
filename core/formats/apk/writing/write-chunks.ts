import { joinBytes } from '../../../bytes/join.ts';
import { written } from '../../../bytes/layout.ts';
import { chunkHeader, chunkTypes, stringPoolHeader } from '../layouts.ts';

export const words = (...values: readonly number[]): Uint8Array =>
  new Uint8Array(Uint32Array.from(values).buffer);

/** A chunk of a header and what follows it. */
export function chunk(
  type: number,
  head: readonly Uint8Array[],
  body: readonly Uint8Array[] = [],
): Uint8Array {
  const header = joinBytes([...head]);
  const rest = joinBytes([...body]);
  const headerBytes = chunkHeader.bytes + header.length;
  return joinBytes([
    written(chunkHeader, { type, headerBytes, bytes: headerBytes + rest.length }),
    header,
    rest,
  ]);
}

const padded = (bytes: Uint8Array): Uint8Array =>
  bytes.length % 4 === 0 ? bytes : joinBytes([bytes, new Uint8Array(4 - (bytes.length % 4))]);

/** Strings in UTF-16, the form that every Android reads. */
export function stringPool(strings: readonly string[]): Uint8Array {
  const encoded = strings.map((text) => {
    const units = new Uint16Array(text.length + 2);
    units[0] = text.length;
    for (let i = 0; i < text.length; i++) units[i + 1] = text.charCodeAt(i);
    return new Uint8Array(units.buffer);
  });
  let at = 0;
  const offsets = encoded.map((each) => {
    at += each.length;
    return at - each.length;
  });
  const stringsStart = chunkHeader.bytes + stringPoolHeader.bytes + strings.length * 4;
  const header = { strings: strings.length, styles: 0, flags: 0, stringsStart, stylesStart: 0 };
  return chunk(
    chunkTypes.stringPool,
    [written(stringPoolHeader, header)],
    [words(...offsets), padded(joinBytes(encoded))],
  );
}
