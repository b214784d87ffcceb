import { constants, createPublicKey, publicDecrypt, randomBytes, type KeyObject } from 'node:crypto';
import { openFileSystem } from '@keen-larder/core/formats/file-system/open.ts';
import {
  authTokenBytes,
  parseAdbPublicKey,
  type AdbPublicKey,
} from '@keen-larder/core/protocols/adb/auth.ts';
import { adbKeysPath } from '../firmware/user-contents.ts';
import { overwriteFile } from '../flash/file-writes.ts';
import type { Device } from '../flash/flash.ts';

/** What precedes a SHA-1 digest that is signed (RFC 8017, 9.2, note 1); adb signs its token in place of one. */
const digestInfo = Buffer.from('3021300906052b0e03021a05000414', 'hex');

/** Who asks to be let in, for the person at the phone. */
export interface Asking {
  readonly name: string;
  readonly fingerprint: string;
}

/** Which computers a running system lets in over adb: those whose keys its user data has. */
export class Authorisation {
  /** Let in until the phone is restarted, where user data has no place for the key. */
  private readonly forNow = new Set<string>();
  private readonly waiting = new Map<string, { key: AdbPublicKey; answer: (isAllowed: boolean) => void }>();

  /** @param isTrusting somebody stands by and allows whoever asks */
  constructor(
    private readonly userData: () => Promise<Device>,
    private readonly isTrusting: () => boolean,
    private readonly changed: () => void,
  ) {}

  get asking(): Asking | undefined {
    const [first] = this.waiting.values();
    return first && { name: first.key.name, fingerprint: first.key.fingerprint };
  }

  newToken(): Buffer {
    return randomBytes(authTokenBytes);
  }

  /** Whether a token was signed by a computer that is let in. */
  async isSigned(token: Uint8Array, signature: Uint8Array): Promise<boolean> {
    const expected = Buffer.concat([digestInfo, token]);
    return (await this.lines()).some((line) => {
      try {
        const key = { key: keyObject(parseAdbPublicKey(line)), padding: constants.RSA_PKCS1_PADDING };
        return publicDecrypt(key, signature).equals(expected);
      } catch {
        return false;
      }
    });
  }

  /** Puts the question on the screen; resolves to the answer. @throws FormatError when it is no key */
  async ask(text: string, gone: Promise<void>): Promise<boolean> {
    const key = parseAdbPublicKey(text);
    if (this.isTrusting()) {
      await this.allow(key.line);
      return true;
    }
    const { line } = key;
    const answered = new Promise<boolean>((answer) => this.waiting.set(line, { key, answer }));
    this.changed();
    const isAllowed = await Promise.race([answered, gone.then(() => false)]);
    this.waiting.delete(line);
    this.changed();
    return isAllowed;
  }

  /** The answer of the person at the phone, to all who ask. */
  async answer(isAllowed: boolean): Promise<void> {
    for (const { key, answer } of this.waiting.values()) {
      if (isAllowed) await this.allow(key.line);
      answer(isAllowed);
    }
  }

  /** Lets a computer in from now on. */
  async allow(line: string): Promise<void> {
    const lines = await this.lines();
    if (lines.includes(line)) return;
    this.forNow.add(line);
    const text = Buffer.from(`${[...lines, line].join('\n')}\n`);
    await overwriteFile(await this.userData(), adbKeysPath, 0, text).catch(() => undefined);
  }

  private async lines(): Promise<string[]> {
    const parts: Uint8Array[] = [];
    try {
      const fs = await openFileSystem(await this.userData());
      const inode = await fs.find(adbKeysPath);
      if (inode) for await (const part of fs.content(inode)) parts.push(part.slice());
    } catch {
      // Wiped or damaged: it lets nobody in that it knew.
    }
    const kept = Buffer.concat(parts)
      .toString()
      .split('\n')
      .filter((line) => line.trim());
    return [...new Set([...kept, ...this.forNow])];
  }
}

function keyObject({ modulus, exponent }: AdbPublicKey): KeyObject {
  const e = Buffer.alloc(4);
  e.writeUInt32BE(exponent);
  const jwk = { kty: 'RSA', n: Buffer.from(modulus).toString('base64url'), e: e.toString('base64url') };
  return createPublicKey({ key: jwk, format: 'jwk' });
}
