import { fromHex, hex } from '../../bytes/text.ts';

/** A GUID in its mixed-endian disk form as the usual upper-case text (UEFI 2.10, appendix A). */
export function guidText(bytes: Uint8Array): string {
  const part = (...at: number[]) => hex(Uint8Array.from(at, (i) => bytes[i]!));
  return [part(3, 2, 1, 0), part(5, 4), part(7, 6), part(8, 9), part(10, 11, 12, 13, 14, 15)]
    .join('-')
    .toUpperCase();
}

/** The disk form of a GUID's text. */
export function guidBytes(text: string): Uint8Array {
  const b = fromHex(text.replaceAll('-', ''));
  const order = [3, 2, 1, 0, 5, 4, 7, 6, 8, 9, 10, 11, 12, 13, 14, 15];
  return Uint8Array.from(order, (i) => b[i]!);
}
