import { md5 } from '@noble/hashes/legacy.js';
import { FormatError } from '../../bytes/format-error.ts';
import { hex } from '../../bytes/text.ts';

/** What an AUTH packet carries, in its first argument (AOSP packages/modules/adb, protocol.txt). */
export const authTypes = { token: 1, signature: 2, publicKey: 3 } as const;

export const authTokenBytes = 20;

/** A computer's public key as it is sent and as phones keep it: base64, then who it is of. */
export interface AdbPublicKey {
  /** Big endian. */
  readonly modulus: Uint8Array;
  readonly exponent: number;
  /** Whose it is, usually `user@computer`. */
  readonly name: string;
  /** The line without what ends it. */
  readonly line: string;
  /** MD5 of the decoded key with colons, as phones show it when they ask. */
  readonly fingerprint: string;
}

const modulusWords = 64;
/** Words, -1/n mod 2³², n, R² mod n, exponent (AOSP libcrypto_utils, android_pubkey.c), little endian. */
const keyBytes = 4 + 4 + modulusWords * 4 * 2 + 4;

const bad = (field: string, offset: number, reason: string) =>
  new FormatError('adb public key', field, offset, reason);

/** @param text one line of `adb_keys`, or what an AUTH packet carries @throws FormatError */
export function parseAdbPublicKey(text: string): AdbPublicKey {
  const line = text.replace(/[\0\r\n]+$/, '');
  const [encoded = '', ...name] = line.split(' ');
  if (!/^(?:[A-Za-z0-9+/]{4})+(?:[A-Za-z0-9+/]{2}==|[A-Za-z0-9+/]{3}=)?$/.test(encoded))
    throw bad('key', 0, 'it is not base64');
  const decoded = Uint8Array.from(atob(encoded), (letter) => letter.charCodeAt(0));
  if (decoded.length !== keyBytes) throw bad('key', 0, `${decoded.length} bytes instead of ${keyBytes}`);
  const view = new DataView(decoded.buffer);
  if (view.getUint32(0, true) !== modulusWords)
    throw bad('modulus_size_words', 0, `${view.getUint32(0, true)}`);
  return {
    modulus: decoded.slice(8, 8 + modulusWords * 4).reverse(),
    exponent: view.getUint32(keyBytes - 4, true),
    name: name.join(' '),
    line,
    fingerprint: hex(md5(decoded))
      .replace(/(..)(?=.)/g, '$1:')
      .toUpperCase(),
  };
}
