import { FormatError } from '../../bytes/format-error.ts';
import { hex, readUtf8 } from '../../bytes/text.ts';

/**
 * The platform's binary XML, in which a system keeps its settings from Android 12 on (AOSP frameworks/base,
 * core/java/com/android/internal/util/BinaryXmlSerializer.java), big endian: tokens of one byte, the low half a
 * command and the high half the type of what follows.
 */
const magic = [0x41, 0x42, 0x58, 0x00];
const commands = {
  startDocument: 0,
  endDocument: 1,
  startTag: 2,
  endTag: 3,
  text: 4,
  attribute: 15,
} as const;
/** Character data, entities, instructions, comments: their text is passed over. */
const lastOther = 10;
const types = {
  null: 1,
  string: 2,
  interned: 3,
  bytesHex: 4,
  bytesBase64: 5,
  int: 6,
  intHex: 7,
  long: 8,
  longHex: 9,
  float: 10,
  double: 11,
  true: 12,
  false: 13,
} as const;
/** Stands where a string comes for the first time. */
const isNew = 0xffff;

export const isAbx = (bytes: Uint8Array): boolean => magic.every((byte, i) => bytes[i] === byte);

const escaped = (text: string): string =>
  text.replace(/[&<>"]/g, (char) => `&#${char.charCodeAt(0)};`).replace(/[\n\r]/g, ' ');

/** The same document as text, an element a line. @throws FormatError */
export function readAbx(bytes: Uint8Array): string {
  if (!isAbx(bytes)) throw new FormatError('abx', 'magic', 0, 'this is not binary XML');
  const reader = new Reader(bytes, magic.length);
  let text = "<?xml version='1.0' encoding='utf-8' standalone='yes' ?>\n";
  let depth = 0;
  /** A tag whose attributes may still come. */
  let isOpen = false;
  const close = () => {
    if (isOpen) text += '>\n';
    isOpen = false;
  };
  while (!reader.isAtEnd) {
    const at = reader.at;
    const token = reader.byte();
    const [command, type] = [token & 0x0f, token >> 4];
    if (command === commands.attribute) {
      if (!isOpen) throw new FormatError('abx', 'attribute', at, 'it is of no element');
      const name = reader.interned();
      text += ` ${name}="${escaped(reader.value(type))}"`;
      continue;
    }
    const wasOpen = isOpen;
    if (command === commands.startTag) {
      close();
      text += `${'  '.repeat(depth++)}<${reader.interned()}`;
      isOpen = true;
    } else if (command === commands.endTag) {
      const name = reader.interned();
      if (--depth < 0) throw new FormatError('abx', 'endTag', at, `${name} was not begun`);
      text += wasOpen ? ' />\n' : `${'  '.repeat(depth)}</${name}>\n`;
      isOpen = false;
    } else if (command === commands.text) {
      close();
      text += escaped(reader.value(type));
    } else if (command === commands.endDocument) return text;
    else if (command > lastOther) throw new FormatError('abx', 'token', at, `there is no command ${command}`);
    else if (command !== commands.startDocument) reader.value(type);
  }
  throw new FormatError('abx', 'token', bytes.length, 'the document has no end');
}

/** A file of settings in whichever of the two forms. @throws FormatError */
export const settingsText = (bytes: Uint8Array): string => (isAbx(bytes) ? readAbx(bytes) : readUtf8(bytes));

const letters = 'ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/';
/** RFC 4648, section 4. */
function base64(bytes: Uint8Array): string {
  let text = '';
  for (let i = 0; i < bytes.length; i += 3) {
    const word = (bytes[i]! << 16) | ((bytes[i + 1] ?? 0) << 8) | (bytes[i + 2] ?? 0);
    for (const [place, shift] of [18, 12, 6, 0].entries())
      text += i + place > bytes.length ? '=' : letters[(word >> shift) & 63]!;
  }
  return text;
}

class Reader {
  private readonly view: DataView;
  private readonly strings: string[] = [];

  constructor(
    private readonly bytes: Uint8Array,
    public at: number,
  ) {
    this.view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  }

  get isAtEnd(): boolean {
    return this.at >= this.bytes.length;
  }

  byte(): number {
    return this.bytes[this.past(1)]!;
  }

  interned(): string {
    const at = this.at;
    const index = this.view.getUint16(this.past(2));
    if (index === isNew) {
      const text = this.string();
      this.strings.push(text);
      return text;
    }
    const known = this.strings[index];
    if (known === undefined) throw new FormatError('abx', 'string', at, `there is no string ${index}`);
    return known;
  }

  value(type: number): string {
    switch (type) {
      case types.null:
        return '';
      case types.string:
        return this.string();
      case types.interned:
        return this.interned();
      case types.bytesHex:
        return hex(this.raw());
      case types.bytesBase64:
        return base64(this.raw());
      case types.int:
        return String(this.view.getInt32(this.past(4)));
      case types.intHex:
        return this.view.getInt32(this.past(4)).toString(16);
      case types.long:
        return String(this.view.getBigInt64(this.past(8)));
      case types.longHex:
        return this.view.getBigInt64(this.past(8)).toString(16);
      case types.float:
        return String(this.view.getFloat32(this.past(4)));
      case types.double:
        return String(this.view.getFloat64(this.past(8)));
      case types.true:
        return 'true';
      case types.false:
        return 'false';
      default:
        throw new FormatError('abx', 'type', this.at, `there is no type ${type}`);
    }
  }

  private string(): string {
    return readUtf8(this.raw());
  }

  private raw(): Uint8Array {
    const length = this.view.getUint16(this.past(2));
    const start = this.past(length);
    return this.bytes.subarray(start, start + length);
  }

  /** Goes on by so many bytes. @returns where they begin */
  private past(bytes: number): number {
    const start = this.at;
    if (start + bytes > this.bytes.length)
      throw new FormatError('abx', 'token', start, 'the input ends here');
    this.at += bytes;
    return start;
  }
}
