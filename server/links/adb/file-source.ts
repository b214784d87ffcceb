import { cached, type ByteSource } from '@keen-larder/core/bytes/source.ts';
import { quote, type AdbShell } from './shell.ts';

/** What of a file is fetched at once: of an APK its directory, its manifest and its signers lie in few such pieces. */
const pieceBytes = 64 * 1024;

/** A file on the phone with random access, through `dd`. */
export function fileOn(shell: AdbShell, path: string, bytes: number): ByteSource {
  const read = async (offset: number, length: number) => {
    const start = Math.floor(offset / pieceBytes);
    const count = Math.ceil((offset + length) / pieceBytes) - start;
    const parts: Uint8Array[] = [];
    const script = `dd if=${quote(path)} bs=${pieceBytes} skip=${start} count=${count}`;
    for await (const part of shell.stream(script)) parts.push(part.slice());
    const from = offset - start * pieceBytes;
    return Buffer.concat(parts).subarray(from, from + length);
  };
  return cached({ bytes, read }, pieceBytes);
}
