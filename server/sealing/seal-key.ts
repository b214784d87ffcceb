import { hkdfSync, randomBytes, randomUUID, scrypt, type ScryptOptions } from 'node:crypto';
import { promisify } from 'node:util';
import { SealFailure } from '../failures.ts';
import { gcmOpen, gcmSeal, nonceBytes, tagBytes } from './aes-gcm.ts';
import { readKey } from './recovery-key.ts';

const sealFormat = 'keen-larder-seal';
const sealVersion = 1;
const keyBytes = 32;
const recoveryBytes = 16;
/** RFC 7914: 128 MiB of memory; the salt has 32 bytes. */
const usualCost = { N: 1 << 17, r: 8, p: 1 } as const;
/** What a passphrase's key takes to compute. */
export type Cost = NonNullable<Lock['cost']>;
const mostCost = 1 << 22;

/** The master key, closed by one secret. Bytes are base64. */
interface Lock {
  readonly by: 'passphrase' | 'recovery key';
  readonly salt: string;
  /** scrypt's, of a passphrase. */
  readonly cost?: { readonly N: number; readonly r: number; readonly p: number };
  readonly nonce: string;
  /** The master key by AES-256-GCM, and its tag. */
  readonly closed: string;
}

/** What stands beside what is sealed: the master key, closed by each secret that opens it. See docs/shelf-format.md. */
export interface Seal {
  readonly format: typeof sealFormat;
  readonly version: typeof sealVersion;
  readonly id: string;
  readonly locks: readonly Lock[];
}

/** An open seal. */
export interface OpenSeal {
  readonly seal: Seal;
  /** 32 bytes. */
  readonly master: Buffer;
}

const deriveByScrypt = promisify<string, Uint8Array, number, ScryptOptions, Buffer>(scrypt);

/** A passphrase as it is digested: what looks the same is the same (Unicode NFC). */
const passphraseOf = (text: string) => text.normalize('NFC');

/** 32 bytes by scrypt (RFC 7914). */
export const passphraseKey = (passphrase: string, salt: Uint8Array, { N, r, p }: Cost) =>
  deriveByScrypt(passphraseOf(passphrase), salt, keyBytes, { N, r, p, maxmem: 256 * N * r * p });

/** 32 bytes by HKDF-SHA256 (RFC 5869). */
export const derivedKey = (secret: Uint8Array, salt: Uint8Array, purpose: string): Buffer =>
  Buffer.from(hkdfSync('sha256', secret, salt, purpose, keyBytes));

const byRecoveryKey = (key: Uint8Array, salt: Buffer) => derivedKey(key, salt, `${sealFormat} recovery`);

const boundTo = (id: string, by: Lock['by']) => Buffer.from(`${sealFormat} ${id} ${by}`);

function close(master: Buffer, key: Buffer, id: string, by: Lock['by']): Pick<Lock, 'nonce' | 'closed'> {
  const nonce = randomBytes(nonceBytes);
  const closed = gcmSeal(key, nonce, boundTo(id, by), master);
  return { nonce: nonce.toString('base64'), closed: closed.toString('base64') };
}

async function passphraseLock(master: Buffer, id: string, passphrase: string, cost: Cost): Promise<Lock> {
  const salt = randomBytes(keyBytes);
  const key = await passphraseKey(passphrase, salt, cost);
  const by = 'passphrase';
  return { by, salt: salt.toString('base64'), cost, ...close(master, key, id, by) };
}

/**
 * A new seal with a master key of its own.
 * @returns with the recovery key, which is shown once and kept nowhere; 16 bytes
 */
export async function makeSeal(
  passphrase: string,
  cost: Cost = usualCost,
): Promise<OpenSeal & { readonly recoveryKey: Buffer }> {
  const id = randomUUID();
  const [master, recoveryKey, salt] = [keyBytes, recoveryBytes, keyBytes].map((bytes) => randomBytes(bytes));
  const by = 'recovery key';
  const recovery: Lock = {
    by,
    salt: salt!.toString('base64'),
    ...close(master!, byRecoveryKey(recoveryKey!, salt!), id, by),
  };
  const locks = [await passphraseLock(master!, id, passphrase, cost), recovery];
  return {
    seal: { format: sealFormat, version: sealVersion, id, locks },
    master: master!,
    recoveryKey: recoveryKey!,
  };
}

/** The same master key behind another passphrase; what is sealed stays as it is. */
export async function changePassphrase({ seal, master }: OpenSeal, passphrase: string): Promise<Seal> {
  const others = seal.locks.filter(({ by }) => by !== 'passphrase');
  const { cost = usualCost } = seal.locks.find(({ by }) => by === 'passphrase') ?? {};
  return { ...seal, locks: [await passphraseLock(master, seal.id, passphrase, cost), ...others] };
}

/** @param secret a passphrase, or a recovery key as it was printed @throws SealFailure saying why not */
export async function openSeal(seal: Seal, secret: string): Promise<OpenSeal> {
  for (const lock of seal.locks) {
    const key = await keyTo(lock, secret);
    const master = key && opened(lock, key, seal.id);
    if (master) return { seal, master };
  }
  throw new SealFailure(
    'secret',
    'This passphrase does not open it. Look whether Caps Lock is on, or use the recovery key.',
  );
}

async function keyTo({ by, salt, cost: of }: Lock, secret: string): Promise<Buffer | undefined> {
  const bytes = Buffer.from(salt, 'base64');
  if (by === 'passphrase') return passphraseKey(secret, bytes, of!);
  try {
    return byRecoveryKey(readKey(secret), bytes);
  } catch {
    return undefined;
  }
}

const opened = ({ by, nonce, closed }: Lock, key: Buffer, id: string): Buffer | undefined =>
  gcmOpen(key, Buffer.from(nonce, 'base64'), boundTo(id, by), Buffer.from(closed, 'base64'));

/** @throws SealFailure saying what is wrong with the file */
export function parseSeal(text: string): Seal {
  const refuse = (what: string) => new SealFailure('format', `The seal cannot be used: ${what}.`);
  let seal: Partial<Seal>;
  try {
    seal = JSON.parse(text) as Partial<Seal>;
  } catch {
    throw refuse('it is damaged');
  }
  if (seal.format !== sealFormat) throw refuse('it is none');
  if (seal.version !== sealVersion)
    throw refuse(`it has version ${String(seal.version)}, and this program reads version ${sealVersion}`);
  const locks: readonly Partial<Lock>[] = Array.isArray(seal.locks) ? seal.locks : [];
  const isWhole = locks.every(
    ({ by, salt, nonce, closed, cost: of }) =>
      (by === 'recovery key' || (by === 'passphrase' && of !== undefined && isBearable(of))) &&
      bytesIn(salt) === keyBytes &&
      bytesIn(nonce) === nonceBytes &&
      bytesIn(closed) === keyBytes + tagBytes,
  );
  if (!seal.id || locks.length === 0 || !isWhole) throw refuse('fields are missing or make no sense');
  return seal as Seal;
}

/** Whether scrypt may be asked for it: one who wrote the file could have it take all memory. */
const isBearable = ({ N, r, p }: Cost): boolean =>
  [N, r, p].every((each) => Number.isInteger(each) && each > 0) &&
  N > 1 &&
  (N & (N - 1)) === 0 &&
  N * r * p <= mostCost;

const bytesIn = (base64: unknown): number =>
  typeof base64 === 'string' ? Buffer.from(base64, 'base64').length : -1;
