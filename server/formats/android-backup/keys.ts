import { createCipheriv, createDecipheriv, pbkdf2, randomBytes, timingSafeEqual } from 'node:crypto';
import { promisify } from 'node:util';
import type { BackupEncryption } from '@keen-larder/core/formats/android-backup/header.ts';

/** What the archive itself is encrypted with. */
export interface BackupKey {
  readonly key: Uint8Array;
  readonly iv: Uint8Array;
}

const derive = promisify(pbkdf2);
const keyBytes = 32;
const ivBytes = 16;
const saltBytes = 64;
const rounds = 10_000;
const cipher = 'aes-256-cbc';

/** Characters as PBKDF2 takes them: as UTF-8, or, in the first version, the lower eight bits of each. */
type Encoding = 'utf8' | 'latin1';

const stretched = (secret: string, salt: Uint8Array, rounds: number, encoding: Encoding) =>
  derive(Buffer.from(secret, encoding), salt, rounds, keyBytes, 'sha1');

/** The bytes of a key as characters, where those of 128 and more are negative: Java widens them with their sign. */
const charactersOf = (key: Uint8Array): string =>
  String.fromCharCode(...Array.from(key, (byte) => (byte < 0x80 ? byte : 0xff00 | byte)));

/**
 * Opens a backup's master key (AOSP, frameworks/base, services/backup, PerformAdbRestoreTask and utils/PasswordUtils).
 * @param version of the file: of the first, both encodings of a passphrase are met
 * @returns undefined for another passphrase
 */
export async function openedKey(
  encryption: BackupEncryption,
  version: number,
  passphrase: string,
): Promise<BackupKey | undefined> {
  for (const encoding of version === 1 ? (['utf8', 'latin1'] as const) : (['utf8'] as const)) {
    const found = await tried(encryption, passphrase, encoding);
    if (found) return found;
  }
  return undefined;
}

async function tried(
  { userSalt, checksumSalt, rounds, userIv, masterKey }: BackupEncryption,
  passphrase: string,
  encoding: Encoding,
): Promise<BackupKey | undefined> {
  const userKey = await stretched(passphrase, userSalt, rounds, encoding);
  const decipher = createDecipheriv(cipher, userKey, userIv);
  let blob: Buffer;
  try {
    blob = Buffer.concat([decipher.update(masterKey), decipher.final()]);
  } catch {
    return undefined;
  }
  const [iv, key, checksum] = fields(blob);
  if (iv?.length !== ivBytes || key?.length !== keyBytes || checksum?.length !== keyBytes) return undefined;
  const computed = await stretched(charactersOf(key), checksumSalt, rounds, encoding);
  return timingSafeEqual(computed, checksum) ? { key, iv } : undefined;
}

/** Each with its length before it. */
function fields(blob: Buffer): Buffer[] {
  const found: Buffer[] = [];
  for (let at = 0; at < blob.length; at += 1 + blob[at]!)
    found.push(blob.subarray(at + 1, at + 1 + blob[at]!));
  return found;
}

/** A new key, and what opens it by a passphrase. */
export async function newKey(
  passphrase: string,
): Promise<BackupKey & { readonly encryption: BackupEncryption }> {
  const [key, iv, userIv] = [randomBytes(keyBytes), randomBytes(ivBytes), randomBytes(ivBytes)];
  const [userSalt, checksumSalt] = [randomBytes(saltBytes), randomBytes(saltBytes)];
  const userKey = await stretched(passphrase, userSalt, rounds, 'utf8');
  const checksum = await stretched(charactersOf(key), checksumSalt, rounds, 'utf8');
  const blob = Buffer.concat([iv, key, checksum].flatMap((each) => [Buffer.from([each.length]), each]));
  const sealing = createCipheriv(cipher, userKey, userIv);
  const masterKey = Buffer.concat([sealing.update(blob), sealing.final()]);
  return { key, iv, encryption: { userSalt, checksumSalt, rounds, userIv, masterKey } };
}
