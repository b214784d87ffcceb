import { constants, createPrivateKey, generateKeyPair, privateEncrypt, type KeyObject } from 'node:crypto';
import { chmod, readFile } from 'node:fs/promises';
import { hostname, userInfo } from 'node:os';
import { join } from 'node:path';
import { promisify } from 'node:util';
import { adbGeneratePublicKey, type AdbCredentialStore } from '@yume-chan/adb';
import { renameDurably, writeDurably } from '../../disk/durable.ts';
import { parseAdbPublicKey } from '@keen-larder/core/protocols/adb/auth.ts';

const modulusBits = 2048;

const tokenBytes = 20;
/** What names SHA-1 before a digest of it (RFC 8017, 9.2, note 1). */
const sha1Info = Buffer.from('3021300906052b0e03021a05000414', 'hex');

/** The key by which phones know this computer. */
export interface AdbKey {
  readonly store: AdbCredentialStore;
  /** As phones keep it, a line. */
  readonly publicLine: string;
  /** As phones show it when they ask. */
  readonly fingerprint: string;
  /** Signs the twenty bytes that a phone sends, which stand for a SHA-1 digest (AOSP adb, protocol.txt, AUTH). */
  sign(token: Uint8Array): Uint8Array;
}

/** A key that cannot be read is put aside: phones ask once more whether they trust this computer, and nothing else is lost. */
async function readKey(path: string): Promise<KeyObject | undefined> {
  let pem: string;
  try {
    pem = await readFile(path, 'utf8');
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code === 'ENOENT') return undefined;
    throw error;
  }
  try {
    return createPrivateKey(pem);
  } catch {
    await renameDurably(path, `${path}.damaged-${Date.now()}`);
    return undefined;
  }
}

/** The bench computer's own adb key, made at the first start and kept in the home folder. */
export async function adbKeyOf(home: string): Promise<AdbKey> {
  const path = join(home, 'adb-key.pem');
  let key = await readKey(path);
  if (!key) {
    const { privateKey } = await promisify(generateKeyPair)('rsa', { modulusLength: modulusBits });
    await writeDurably(path, String(privateKey.export({ type: 'pkcs8', format: 'pem' })));
    key = privateKey;
  }
  await chmod(path, 0o600);
  const buffer = new Uint8Array(key.export({ type: 'pkcs8', format: 'der' }));
  const name = `${userInfo().username}@${hostname()}`.replace(/\s/g, '');
  const publicLine = `${Buffer.from(adbGeneratePublicKey(buffer)).toString('base64')} ${name}`;
  const held = { buffer, name };
  const own = key;
  return {
    store: { generateKey: () => held, iterateKeys: () => [held] },
    publicLine,
    fingerprint: parseAdbPublicKey(publicLine).fingerprint,
    sign: (token) => {
      if (token.length !== tokenBytes) throw new Error(`it asks to sign ${token.length} bytes`);
      const named = Buffer.concat([sha1Info, token]);
      return privateEncrypt({ key: own, padding: constants.RSA_PKCS1_PADDING }, named);
    },
  };
}
