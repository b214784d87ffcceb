import { ascii, layout, raw, u32 } from '../bytes/layout.ts';
import type { ByteSource } from '../bytes/source.ts';

/**
 * What a Quern early loader, and the program that it starts, say of themselves in their first bytes
 * (the processor is invented; docs/simulated-phones.md). Other processors' programs begin otherwise.
 */
const programHeader = layout('quern-program', {
  magic: raw(8), // "QUERNPRG"
  androidVersion: u32,
  build: ascii(32),
});
const magic = new TextEncoder().encode('QUERNPRG');

export interface QuernProgram {
  /** The major version of Android that it belongs to. */
  readonly androidVersion: number;
  readonly build: string;
}

/** Undefined when it is no such program, or one that does not say. */
export async function quernProgram(source: ByteSource): Promise<QuernProgram | undefined> {
  const bytes = await source.read(0, programHeader.bytes);
  if (bytes.length < programHeader.bytes || !magic.every((byte, i) => bytes[i] === byte)) return undefined;
  const { androidVersion, build } = programHeader.read(bytes);
  return { androidVersion, build };
}

/** The first bytes of a program that says what it belongs to. */
export function quernProgramHeader(program: QuernProgram): Uint8Array {
  const bytes = new Uint8Array(programHeader.bytes);
  programHeader.write(bytes, 0, { magic, ...program });
  return bytes;
}
