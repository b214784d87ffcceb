import { crc32 } from '../../../bytes/crc32.ts';
import { joinBytes } from '../../../bytes/join.ts';
import { written } from '../../../bytes/layout.ts';
import { utf8 } from '../../../bytes/text.ts';
import { directoryEntry, endRecord, localHeader, methods, signatures } from '../zip.ts';

export interface ZipFile {
  readonly name: string;
  readonly bytes: Uint8Array;
}

/** A zip archive in the parts that an APK's signature covers. */
export interface ZipParts {
  readonly files: Uint8Array;
  readonly directory: Uint8Array;
  /** @param directoryOffset where the directory will stand */
  end(directoryOffset: number): Uint8Array;
}

/** What is mapped into memory starts at a multiple of this. */
const alignmentBytes = 4;
/** 1 January 2008, midnight: the day of every file that has none of its own. */
const [date, time] = [((2008 - 1980) << 9) | (1 << 5) | 1, 0];

/** Files as they are, none compressed (PKWARE APPNOTE). */
export function zipOf(files: readonly ZipFile[]): ZipParts {
  const parts: Uint8Array[] = [];
  const entries: Uint8Array[] = [];
  let at = 0;
  for (const { name, bytes } of files) {
    const named = utf8(name);
    const dataAt = at + localHeader.bytes + named.length;
    const extraBytes = (alignmentBytes - (dataAt % alignmentBytes)) % alignmentBytes;
    const common = {
      needs: 10,
      flags: 0,
      method: methods.stored,
      crc32: crc32(bytes),
      packedBytes: bytes.length,
      bytes: bytes.length,
      nameBytes: named.length,
    };
    const local = { ...common, signature: signatures.local, timeAndDate: (date << 16) | time, extraBytes };
    entries.push(
      written(directoryEntry, {
        ...common,
        signature: signatures.entry,
        madeBy: 10,
        time,
        date,
        extraBytes: 0,
        commentBytes: 0,
        disk: 0,
        internalAttributes: 0,
        externalAttributes: 0,
        headerOffset: at,
      }),
      named,
    );
    parts.push(written(localHeader, local), named, new Uint8Array(extraBytes), bytes);
    at = dataAt + extraBytes + bytes.length;
  }
  const directory = joinBytes(entries);
  const end = (directoryOffset: number) =>
    written(endRecord, {
      signature: signatures.end,
      disk: 0,
      directoryDisk: 0,
      entriesOnDisk: files.length,
      entries: files.length,
      directoryBytes: directory.length,
      directoryOffset,
      commentBytes: 0,
    });
  return { files: joinBytes(parts), directory, end };
}
