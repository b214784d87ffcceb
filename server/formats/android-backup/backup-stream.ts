import { createCipheriv, createDecipheriv } from 'node:crypto';
import { createDeflate, createInflate } from 'node:zlib';
import { FormatError } from '@keen-larder/core/bytes/format-error.ts';
import {
  backupHeader,
  mostHeaderBytes,
  newestVersion,
  readBackupHeader,
  type BackupHeader,
} from '@keen-larder/core/formats/android-backup/header.ts';
import { begunWith } from '../../async/begun-with.ts';
import { through } from '../../async/through.ts';
import { newKey, openedKey } from './keys.ts';

const cipher = 'aes-256-cbc';
const outBytes = 256 << 10;

/** A backup that a passphrase opens, which was not given or is another one. */
export class BackupLocked extends Error {
  override readonly name = 'BackupLocked';
}

/**
 * The tar archive in a backup.
 * @throws FormatError where it is damaged or ends too early @throws BackupLocked
 */
export async function* backupTar(
  stream: AsyncIterable<Uint8Array>,
  passphrase?: string,
): AsyncGenerator<Uint8Array> {
  const parts = stream[Symbol.asyncIterator]();
  try {
    const head = await begun(parts);
    const header = readBackupHeader(head);
    yield* contents(header, begunWith(head.subarray(header.bytes), parts), passphrase);
  } finally {
    await parts.return?.();
  }
}

/** So much that the header is whole. */
async function begun(parts: AsyncIterator<Uint8Array>): Promise<Uint8Array> {
  let head: Uint8Array = new Uint8Array();
  while (head.length < mostHeaderBytes) {
    const next = await parts.next();
    if (next.done) break;
    head = Buffer.concat([head, next.value]);
  }
  return head;
}

async function* contents(
  { version, isPacked, encryption, bytes }: BackupHeader,
  stored: AsyncIterable<Uint8Array>,
  passphrase: string | undefined,
): AsyncGenerator<Uint8Array> {
  const failing = (error: unknown): never => {
    const { code } = error as NodeJS.ErrnoException;
    if (!/^(?:Z_|ERR_OSSL)/.test(code ?? '')) throw error;
    throw new FormatError('Android backup', 'data', bytes, 'it is damaged or ends too early');
  };
  let plain = stored;
  if (encryption) {
    if (passphrase === undefined) throw new BackupLocked('It is encrypted with a passphrase.');
    const found = await openedKey(encryption, version, passphrase);
    if (!found) throw new BackupLocked('It is encrypted with another passphrase.');
    plain = through(createDecipheriv(cipher, found.key, found.iv), plain);
  }
  if (isPacked) plain = through(createInflate({ chunkSize: outBytes }), plain);
  try {
    for await (const part of plain) yield part;
  } catch (error) {
    failing(error);
  }
}

/** A backup of a tar archive, packed, and encrypted where there is a passphrase. */
export async function* backupStream(
  tar: AsyncIterable<Uint8Array>,
  passphrase?: string,
): AsyncGenerator<Uint8Array> {
  const sealed = passphrase ? await newKey(passphrase) : undefined;
  yield Buffer.from(backupHeader({ version: newestVersion, isPacked: true, encryption: sealed?.encryption }));
  const packed = through(createDeflate({ chunkSize: outBytes }), tar);
  yield* sealed ? through(createCipheriv(cipher, sealed.key, sealed.iv), packed) : packed;
}
