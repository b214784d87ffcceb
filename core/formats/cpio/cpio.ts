import { FormatError } from '../../bytes/format-error.ts';
import { readUtf8, utf8 } from '../../bytes/text.ts';

export interface CpioEntry {
  readonly path: string;
  /** Type and permission bits as in `st_mode`. */
  readonly mode: number;
  readonly content: Uint8Array;
}

/** "070701": the "newc" form that ramdisks use (Linux, Documentation/driver-api/early-userspace/buffer-format). */
const magic = '070701';
const headerBytes = 110;
const trailer = 'TRAILER!!!';
const align = (n: number) => Math.ceil(n / 4) * 4;

/**
 * Reads an uncompressed "newc" archive held in memory.
 * @throws FormatError when a header is none or an entry runs past the end
 */
export function readCpio(archive: Uint8Array): CpioEntry[] {
  const entries: CpioEntry[] = [];
  for (let offset = 0; ;) {
    if (offset + headerBytes > archive.length) {
      throw new FormatError('cpio', 'c_magic', offset, 'the archive ends before its trailer');
    }
    const header = readUtf8(archive.subarray(offset, offset + headerBytes));
    if (!header.startsWith(magic)) {
      throw new FormatError('cpio', 'c_magic', offset, `no "${magic}" here`);
    }
    const field = (index: number, name: string) => {
      const at = 6 + index * 8;
      const text = header.slice(at, at + 8);
      if (!/^[0-9a-f]{8}$/i.test(text)) {
        throw new FormatError('cpio', name, offset + at, 'not eight hexadecimal digits');
      }
      return Number.parseInt(text, 16);
    };
    const contentBytes = field(6, 'c_filesize');
    const nameBytes = field(11, 'c_namesize');
    const nameAt = offset + headerBytes;
    const contentAt = align(nameAt + nameBytes);
    if (nameBytes === 0 || contentAt + contentBytes > archive.length) {
      throw new FormatError('cpio', 'c_filesize', offset + 54, 'the entry runs past the end');
    }
    const path = readUtf8(archive.subarray(nameAt, nameAt + nameBytes - 1));
    if (path === trailer) return entries;
    entries.push({
      path,
      mode: field(1, 'c_mode'),
      content: archive.subarray(contentAt, contentAt + contentBytes),
    });
    offset = align(contentAt + contentBytes);
  }
}

/** Writes a "newc" archive. */
export function writeCpio(entries: readonly CpioEntry[]): Uint8Array {
  const pieces: Uint8Array[] = [];
  let total = 0;
  const add = (bytes: Uint8Array) => {
    pieces.push(bytes);
    total += bytes.length;
    const padding = align(total) - total;
    if (padding) pieces.push(new Uint8Array(padding));
    total += padding;
  };
  const entry = ({ path, mode, content }: CpioEntry, inode: number) => {
    const name = utf8(`${path}\0`);
    const fields = [inode, mode, 0, 0, 1, 0, content.length, 0, 0, 0, 0, name.length, 0];
    const header = utf8(magic + fields.map((n) => n.toString(16).padStart(8, '0')).join(''));
    const head = new Uint8Array(header.length + name.length);
    head.set(header);
    head.set(name, header.length);
    add(head);
    if (content.length) add(content);
  };
  entries.forEach((each, i) => entry(each, i + 1));
  entry({ path: trailer, mode: 0, content: new Uint8Array() }, 0);
  const archive = new Uint8Array(total);
  let at = 0;
  for (const piece of pieces) {
    archive.set(piece, at);
    at += piece.length;
  }
  return archive;
}
