/** ASCII up to the first NUL; bytes above 0x7e and control characters become `?`. */
export function readAscii(bytes: Uint8Array): string {
  let text = '';
  for (const byte of bytes) {
    if (byte === 0) break;
    text += byte >= 0x20 && byte < 0x7f ? String.fromCharCode(byte) : '?';
  }
  return text;
}

/** Writes ASCII into a field of fixed size, padded with NUL. */
export function writeAscii(field: Uint8Array, text: string): void {
  if (text.length > field.length) {
    throw new RangeError(`"${text}" is longer than its field of ${field.length} bytes`);
  }
  field.fill(0);
  for (let i = 0; i < text.length; i++) field[i] = text.charCodeAt(i) & 0x7f;
}

/** UTF-8; ill-formed sequences become U+FFFD. */
export const readUtf8 = (bytes: Uint8Array): string => new TextDecoder('utf-8').decode(bytes);

export const utf8 = (text: string): Uint8Array => new TextEncoder().encode(text);

/** UTF-16LE up to the first NUL. */
export function readUtf16(bytes: Uint8Array): string {
  let text = '';
  for (let i = 0; i + 1 < bytes.length; i += 2) {
    const unit = bytes[i]! | (bytes[i + 1]! << 8);
    if (unit === 0) break;
    text += String.fromCharCode(unit);
  }
  return text;
}

/** UTF-16LE. */
export function utf16(text: string): Uint8Array {
  const bytes = new Uint8Array(text.length * 2);
  const view = new DataView(bytes.buffer);
  for (let i = 0; i < text.length; i++) view.setUint16(i * 2, text.charCodeAt(i), true);
  return bytes;
}

/** Lower-case hexadecimal. */
export function hex(bytes: Uint8Array): string {
  let text = '';
  for (const byte of bytes) text += byte.toString(16).padStart(2, '0');
  return text;
}

/** Bytes of a hexadecimal string. @throws RangeError when it is not one */
export function fromHex(text: string): Uint8Array {
  if (!/^(?:[0-9a-f]{2})*$/i.test(text)) throw new RangeError(`not hexadecimal: ${text}`);
  return Uint8Array.from({ length: text.length / 2 }, (_, i) =>
    Number.parseInt(text.slice(i * 2, i * 2 + 2), 16),
  );
}
