import { randomBytes, timingSafeEqual } from 'node:crypto';
import { passphraseKey, type Cost } from '../sealing/seal-key.ts';

/** RFC 7914; 32 MiB of memory and a tenth of a second, for every time somebody signs in. */
const usualCost: Cost = { N: 1 << 15, r: 8, p: 3 };
const saltBytes = 16;

interface Kept {
  /** Base64. */
  readonly salt: string;
  readonly cost: Cost;
  readonly key: string;
}

/** What is kept of a passphrase, as JSON: it can be told, and cannot be read. */
export async function keptPassphrase(passphrase: string): Promise<string> {
  const salt = randomBytes(saltBytes);
  const key = await passphraseKey(passphrase, salt, usualCost);
  const kept: Kept = { salt: salt.toString('base64'), cost: usualCost, key: key.toString('base64') };
  return JSON.stringify(kept);
}

/** @param kept as `keptPassphrase` gives it; where there is none it takes as long, and is false */
export async function isPassphrase(passphrase: string, kept: string | undefined): Promise<boolean> {
  const { salt, cost, key } = kept
    ? (JSON.parse(kept) as Kept)
    : { salt: randomBytes(saltBytes).toString('base64'), cost: usualCost, key: '' };
  const given = await passphraseKey(passphrase, Buffer.from(salt, 'base64'), cost);
  const own = Buffer.from(key, 'base64');
  return own.length === given.length && timingSafeEqual(own, given);
}
