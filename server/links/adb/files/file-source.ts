import { cached, type ByteSource } from '@keen-larder/core/bytes/source.ts';
import { commands } from '../commands.ts';
import type { AdbShell } from '../shell.ts';

/** What of a file is fetched at once: of an APK its directory, its manifest and its signers lie in few such pieces. */
const pieceBytes = 64 * 1024;

/** A file on the phone with random access, through `dd`. */
export function fileOn(shell: AdbShell, path: string, bytes: number): ByteSource {
  const read = async (offset: number, length: number) => {
    const start = Math.floor(offset / pieceBytes);
    const count = Math.ceil((offset + length) / pieceBytes) - start;
    const script = commands.readFile(path, pieceBytes, start, count);
    const from = offset - start * pieceBytes;
    const bytes = await shell.bytes(script, { mostBytes: count * pieceBytes });
    return bytes.subarray(from, from + length);
  };
  return cached({ bytes, read }, pieceBytes);
}
