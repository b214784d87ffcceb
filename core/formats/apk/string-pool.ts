import { FormatError } from '../../bytes/format-error.ts';
import { readUtf8 } from '../../bytes/text.ts';
import { chunkHeader, stringPoolHeader, utf8Flag } from './layouts.ts';

/** Strings of a chunk of compiled resources, decoded when asked for. */
export class StringPool {
  private readonly view: DataView;
  private readonly isUtf8: boolean;
  readonly length: number;
  private readonly stringsStart: number;

  /**
   * @param chunk the whole chunk
   * @param base where it starts in its file
   * @throws FormatError
   */
  constructor(
    private readonly chunk: Uint8Array,
    private readonly base: number,
  ) {
    const header = stringPoolHeader.read(chunk, chunkHeader.bytes, base);
    this.view = new DataView(chunk.buffer, chunk.byteOffset, chunk.byteLength);
    this.isUtf8 = (header.flags & utf8Flag) !== 0;
    this.length = header.strings;
    this.stringsStart = header.stringsStart;
    const offsetsEnd = chunkHeader.bytes + stringPoolHeader.bytes + header.strings * 4;
    if (offsetsEnd > chunk.length) {
      throw new FormatError(
        'resources',
        'strings',
        base,
        `${header.strings} strings in ${chunk.length} bytes`,
      );
    }
  }

  /** @throws FormatError for an index or a string outside the pool */
  at(index: number): string {
    if (index >= this.length) throw this.outside(index);
    const offset = this.view.getUint32(chunkHeader.bytes + stringPoolHeader.bytes + index * 4, true);
    const start = this.stringsStart + offset;
    return this.isUtf8 ? this.utf8At(start, index) : this.utf16At(start, index);
  }

  /** As `at`; undefined for no string. */
  maybe(index: number): string | undefined {
    return index < this.length ? this.at(index) : undefined;
  }

  /** Two lengths, in characters and in bytes, each in one or two bytes. */
  private utf8At(start: number, index: number): string {
    let at = start;
    const length = () => {
      const first = this.byte(at++, index);
      return first & 0x80 ? ((first & 0x7f) << 8) | this.byte(at++, index) : first;
    };
    length();
    const bytes = length();
    if (at + bytes > this.chunk.length) throw this.outside(index);
    return readUtf8(this.chunk.subarray(at, at + bytes));
  }

  private utf16At(start: number, index: number): string {
    let at = start;
    const word = () => {
      if (at + 2 > this.chunk.length) throw this.outside(index);
      at += 2;
      return this.view.getUint16(at - 2, true);
    };
    const first = word();
    const units = first & 0x8000 ? ((first & 0x7fff) << 16) | word() : first;
    if (at + units * 2 > this.chunk.length) throw this.outside(index);
    return new TextDecoder('utf-16le').decode(this.chunk.subarray(at, at + units * 2));
  }

  private byte(at: number, index: number): number {
    if (at >= this.chunk.length) throw this.outside(index);
    return this.chunk[at]!;
  }

  private outside(index: number): FormatError {
    return new FormatError('resources', 'string', this.base, `string ${index} lies outside its pool`);
  }
}
