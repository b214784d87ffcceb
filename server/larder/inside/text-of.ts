/** The bytes as text, unless they are none: control characters, or no UTF-8. @param isCut its end may cut a character */
export function textOf(bytes: Buffer, isCut: boolean): string | undefined {
  for (const end of isCut ? [0, 1, 2, 3] : [0]) {
    try {
      const text = new TextDecoder('utf-8', { fatal: true }).decode(bytes.subarray(0, bytes.length - end));
      // eslint-disable-next-line no-control-regex
      return /[\0-\x08\x0e-\x1a\x1c-\x1f]/.test(text) ? undefined : text;
    } catch {
      continue;
    }
  }
  return undefined;
}
