import { FormatError } from '../../bytes/format-error.ts';
import { plainText } from '../../bytes/lines.ts';
import { joinBytes } from '../../bytes/join.ts';
import { readAscii, utf8 } from '../../bytes/text.ts';

/** First bytes of both sides over TCP: protocol name and version (AOSP system/core/fastboot, README). */
export const handshake = 'FB01';
/** Every message over TCP is preceded by its length, eight bytes, big endian. */
export const lengthBytes = 8;
/** Commands and answers are no longer than this; data is. */
export const maxCommandBytes = 4096;
const maxAnswerBytes = 256;

/** An answer of the phone: `INFO` and `TEXT` go before the last one, which is one of the others. */
export interface FastbootAnswer {
  readonly kind: 'OKAY' | 'FAIL' | 'INFO' | 'TEXT' | 'DATA';
  readonly text: string;
}

const kinds: readonly string[] = ['OKAY', 'FAIL', 'INFO', 'TEXT', 'DATA'];

/** The length that goes before a message. */
export function messageLength(bytes: number): Uint8Array {
  const length = new Uint8Array(lengthBytes);
  new DataView(length.buffer).setBigUint64(0, BigInt(bytes));
  return length;
}

export const answerBytes = (kind: FastbootAnswer['kind'], text: string): Uint8Array =>
  utf8(`${kind}${text}`).subarray(0, maxAnswerBytes);

/** @throws FormatError when it is none of the known answers */
export function parseAnswer(bytes: Uint8Array): FastbootAnswer {
  const text = readAscii(bytes);
  const kind = text.slice(0, 4);
  if (!kinds.includes(kind)) throw new FormatError('fastboot', 'answer', 0, `“${kind}” is no answer`);
  return { kind: kind as FastbootAnswer['kind'], text: text.slice(4) };
}

/** Cuts a TCP stream into messages, behind the handshake. */
export class MessageParser {
  private held: Uint8Array[] = [];
  private heldBytes = 0;
  /** Nothing can be whole before so many bytes are held. */
  private needed = handshake.length;
  private greeted = false;

  /** @param limit the longest message that is taken */
  constructor(private readonly limit: number) {}

  /**
   * The messages that are now whole.
   * @throws FormatError on another greeting or a message that is too long
   */
  *push(bytes: Uint8Array): Generator<Uint8Array> {
    this.held.push(bytes);
    this.heldBytes += bytes.length;
    if (this.heldBytes < this.needed) return;
    const all = joinBytes(this.held);
    let at = 0;
    if (!this.greeted) {
      const greeting = readAscii(all.subarray(0, handshake.length));
      if (!/^FB\d\d$/.test(greeting)) throw new FormatError('fastboot', 'handshake', 0, `“${greeting}”`);
      this.greeted = true;
      at = handshake.length;
    }
    this.needed = lengthBytes;
    while (all.length - at >= lengthBytes) {
      const length = Number(new DataView(all.buffer, at).getBigUint64(0));
      if (length > this.limit) throw new FormatError('fastboot', 'length', at, `${length} bytes`);
      if (all.length - at - lengthBytes < length) {
        this.needed = lengthBytes + length;
        break;
      }
      yield all.slice(at + lengthBytes, at + lengthBytes + length);
      at += lengthBytes + length;
    }
    this.held = [all.slice(at)];
    this.heldBytes = all.length - at;
  }
}

/** The command that announces so many bytes; the phone answers `DATA` and takes them. */
export const downloadCommand = (bytes: number): string => `download:${bytes.toString(16).padStart(8, '0')}`;

/** A number as variables give it: hexadecimal behind `0x`, or decimal. Undefined for anything else. */
export function parseNumber(text: string | undefined): number | undefined {
  return text !== undefined && /^(0x[0-9a-f]+|\d+)$/i.test(text.trim()) ? Number(text) : undefined;
}

/** `name:value` lines of `getvar:all`, in the order they came. */
export function parseVariables(lines: readonly string[]): Map<string, string> {
  const found = new Map<string, string>();
  for (const line of lines) {
    // The value follows the last colon with blanks, or else the last colon: names contain colons themselves.
    const at = line.includes(': ') ? line.indexOf(': ') : line.lastIndexOf(':');
    if (at > 0) found.set(plainText(line.slice(0, at)), plainText(line.slice(at + 1)));
  }
  return found;
}
