import { createHash } from 'node:crypto';
import { FormatError } from '@keen-larder/core/bytes/format-error.ts';
import { slice, type ByteSource } from '@keen-larder/core/bytes/source.ts';
import { inspectImage } from '@keen-larder/core/formats/inspect/inspect.ts';
import { sourceBytes } from '../../formats/file-source.ts';

/** What looking into it finds wrong: it may be the only copy there is, so it can be kept all the same. */
export async function wrongIn(source: ByteSource): Promise<string[]> {
  try {
    await inspectImage(source);
    return [];
  } catch (error) {
    if (!(error instanceof FormatError)) throw error;
    return [`It is damaged, or ends too early: ${error.message}.`];
  }
}

/** An archive whose MD5 stands behind it, as a line (common practice, no published source); or why it is not taken. */
export async function withoutSum(source: ByteSource): Promise<ByteSource | string> {
  const tail = Buffer.from(await source.read(Math.max(0, source.bytes - 1024), Math.min(1024, source.bytes)));
  const found = /([0-9a-f]{32})[ *]+[^\0\n]+\n?$/i.exec(tail.toString('latin1'));
  if (!found) return 'It has no MD5 behind it, as its name says it has: it was cut short. Download it again.';
  const archive = slice(source, 0, source.bytes - (tail.length - found.index));
  const hash = createHash('md5');
  for await (const part of sourceBytes(archive)) hash.update(part);
  return hash.digest('hex') === found[1]!.toLowerCase()
    ? archive
    : 'It does not match the MD5 behind it: it is damaged. Download it again.';
}
