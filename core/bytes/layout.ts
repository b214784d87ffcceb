import { FormatError } from './format-error.ts';
import { readAscii, writeAscii } from './text.ts';

/** One field of a binary structure: how many bytes it takes and how it is read and written. */
export interface Field<T> {
  readonly bytes: number;
  read(view: DataView, offset: number): T;
  write(view: DataView, offset: number, value: T): void;
}

/** A structure read as one value, its fields in file order without gaps. */
export interface Layout<T> {
  readonly bytes: number;
  /** Byte offset of a field from the start of the structure. */
  offsetOf(field: keyof T & string): number;
  /**
   * Reads the structure at `offset` of `input`.
   * @param base where `input` starts in the whole file, for error messages
   * @throws FormatError when the input ends before the structure does
   */
  read(input: Uint8Array, offset?: number, base?: number): T;
  /** Writes the structure into `output` at `offset`. */
  write(output: Uint8Array, offset: number, value: T): void;
}

type Values<Shape> = { [K in keyof Shape]: Shape[K] extends Field<infer T> ? T : never };

/** The same bytes, to read numbers from. */
export const viewOf = (bytes: Uint8Array): DataView =>
  new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);

/** Declares a structure as the published table lists it: name → field, in file order. */
export function layout<Shape extends Record<string, Field<unknown>>>(
  format: string,
  shape: Shape,
): Layout<Values<Shape>> {
  const fields: { name: string; offset: number; field: Field<unknown> }[] = [];
  let bytes = 0;
  for (const [name, field] of Object.entries(shape)) {
    fields.push({ name, offset: bytes, field });
    bytes += field.bytes;
  }
  const empty = Object.fromEntries(fields.map(({ name }) => [name, undefined]));
  return {
    bytes,
    offsetOf(name) {
      const found = fields.find((each) => each.name === name);
      if (!found) throw new RangeError(`no field ${name}`);
      return found.offset;
    },
    read(input, offset = 0, base = 0) {
      const left = input.byteLength - offset;
      if (left < bytes) {
        const { name, offset: at } = fields.find((each) => each.offset + each.field.bytes > left)!;
        throw new FormatError(format, name, base + offset + at, 'the input ends here');
      }
      const view = viewOf(input);
      // All of one shape from the beginning: they are read by the hundred thousand.
      const value: Record<string, unknown> = { ...empty };
      for (const { name, offset: at, field } of fields) value[name] = field.read(view, offset + at);
      return value as Values<Shape>;
    },
    write(output, offset, value) {
      const view = viewOf(output);
      for (const { name, offset: at, field } of fields) {
        field.write(view, offset + at, value[name as keyof Shape]);
      }
    },
  };
}

/** A structure as its bytes. */
export function written<T>(shape: Layout<T>, value: T): Uint8Array {
  const bytes = new Uint8Array(shape.bytes);
  shape.write(bytes, 0, value);
  return bytes;
}

export const u8: Field<number> = {
  bytes: 1,
  read: (view, at) => view.getUint8(at),
  write: (view, at, value) => view.setUint8(at, value),
};

export const u16: Field<number> = {
  bytes: 2,
  read: (view, at) => view.getUint16(at, true),
  write: (view, at, value) => view.setUint16(at, value, true),
};

export const u32: Field<number> = {
  bytes: 4,
  read: (view, at) => view.getUint32(at, true),
  write: (view, at, value) => view.setUint32(at, value, true),
};

/** 64-bit little-endian; kept as bigint, since a hostile file may hold more than 2^53. */
export const u64: Field<bigint> = {
  bytes: 8,
  read: (view, at) => view.getBigUint64(at, true),
  write: (view, at, value) => view.setBigUint64(at, value, true),
};

/** 32-bit big-endian. */
export const u32be: Field<number> = {
  bytes: 4,
  read: (view, at) => view.getUint32(at, false),
  write: (view, at, value) => view.setUint32(at, value, false),
};

/** 64-bit big-endian; kept as bigint, as `u64`. */
export const u64be: Field<bigint> = {
  bytes: 8,
  read: (view, at) => view.getBigUint64(at, false),
  write: (view, at, value) => view.setBigUint64(at, value, false),
};

/** Fixed-length ASCII, padded with NUL. */
export const ascii = (length: number): Field<string> => ({
  bytes: length,
  read: (view, at) => readAscii(new Uint8Array(view.buffer, view.byteOffset + at, length)),
  write: (view, at, value) => writeAscii(new Uint8Array(view.buffer, view.byteOffset + at, length), value),
});

/** Raw bytes (a copy). */
export const raw = (length: number): Field<Uint8Array> => ({
  bytes: length,
  read: (view, at) => new Uint8Array(view.buffer, view.byteOffset + at, length).slice(),
  write: (view, at, value) =>
    new Uint8Array(view.buffer, view.byteOffset + at, length).set(value.subarray(0, length)),
});

/** `count` consecutive 32-bit words. */
export const words = (count: number): Field<number[]> => ({
  bytes: count * 4,
  read: (view, at) => Array.from({ length: count }, (_, i) => view.getUint32(at + i * 4, true)),
  write: (view, at, value) => value.forEach((word, i) => view.setUint32(at + i * 4, word, true)),
});

/** A 64-bit quantity as a safe integer. @throws FormatError above 2^53 − 1 */
export function safeInteger(value: bigint, format: string, field: string, offset: number): number {
  if (value > BigInt(Number.MAX_SAFE_INTEGER)) {
    throw new FormatError(format, field, offset, `${value} is larger than any real disk`);
  }
  return Number(value);
}
