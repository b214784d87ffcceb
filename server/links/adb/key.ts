import { createPrivateKey, generateKeyPair } from 'node:crypto';
import { chmod, readFile, rename, writeFile } from 'node:fs/promises';
import { hostname, userInfo } from 'node:os';
import { join } from 'node:path';
import { promisify } from 'node:util';
import { adbGeneratePublicKey, type AdbCredentialStore } from '@yume-chan/adb';
import { parseAdbPublicKey } from '@keen-larder/core/protocols/adb/auth.ts';

const modulusBits = 2048;

/** The key by which phones know this computer. */
export interface AdbKey {
  readonly store: AdbCredentialStore;
  /** As phones keep it, a line. */
  readonly publicLine: string;
  /** As phones show it when they ask. */
  readonly fingerprint: string;
}

/** The bench computer's own adb key, made at the first start and kept in the home folder. */
export async function adbKeyOf(home: string): Promise<AdbKey> {
  const path = join(home, 'adb-key.pem');
  let pem: string;
  try {
    pem = await readFile(path, 'utf8');
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code !== 'ENOENT') throw error;
    const { privateKey } = await promisify(generateKeyPair)('rsa', { modulusLength: modulusBits });
    pem = String(privateKey.export({ type: 'pkcs8', format: 'pem' }));
    await writeFile(`${path}.part`, pem, { mode: 0o600 });
    await rename(`${path}.part`, path);
  }
  await chmod(path, 0o600);
  const buffer = new Uint8Array(createPrivateKey(pem).export({ type: 'pkcs8', format: 'der' }));
  const name = `${userInfo().username}@${hostname()}`.replace(/\s/g, '');
  const publicLine = `${Buffer.from(adbGeneratePublicKey(buffer)).toString('base64')} ${name}`;
  const key = { buffer, name };
  return {
    store: { generateKey: () => key, iterateKeys: () => [key] },
    publicLine,
    fingerprint: parseAdbPublicKey(publicLine).fingerprint,
  };
}
