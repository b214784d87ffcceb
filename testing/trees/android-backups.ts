// The platform's backup stream written and read by hand, by its published layout (AOSP, frameworks/base, services/backup,
// PerformAdbBackupTask, PerformAdbRestoreTask, utils/PasswordUtils), with nothing of the code that is tested.
import { createCipheriv, createDecipheriv, createHash, pbkdf2Sync } from 'node:crypto';
import { deflateSync, inflateSync } from 'node:zlib';

/** Bytes that look random, the same each time. */
const bytesOf = (what: string, length: number): Buffer =>
  Buffer.concat(
    Array.from({ length: Math.ceil(length / 32) }, (_, i) =>
      createHash('sha256').update(`${what} ${i}`).digest(),
    ),
  ).subarray(0, length);

const key = bytesOf('master key', 32);
const iv = bytesOf('master IV', 16);
const userIv = bytesOf('user IV', 16);
const userSalt = bytesOf('user salt', 64);
const checksumSalt = bytesOf('checksum salt', 64);

/** The key as Java turns it into characters, as UTF-8: U+FF80 to U+FFFF for what is negative. */
const asCharacters = (bytes: Buffer): Buffer =>
  Buffer.concat(
    Array.from(bytes, (byte) =>
      byte < 0x80
        ? Buffer.from([byte])
        : Buffer.from([0xef, byte < 0xc0 ? 0xbe : 0xbf, 0x80 | (byte & 0x3f)]),
    ),
  );

export interface HandmadeOptions {
  readonly version?: number;
  readonly packed?: boolean;
  /** As its bytes are given to PBKDF2. */
  readonly passphrase?: Buffer;
  readonly rounds?: number;
  /** Of the first version: eight bits of each character. */
  readonly isOld?: boolean;
}

export function handmadeBackup(tar: Buffer, options: HandmadeOptions = {}): Buffer {
  const { version = 5, packed = true, passphrase, rounds = 10_000, isOld = false } = options;
  const content = packed ? deflateSync(tar, { level: 9 }) : tar;
  const lines = ['ANDROID BACKUP', `${version}`, packed ? '1' : '0'];
  if (!passphrase) return Buffer.concat([Buffer.from(`${[...lines, 'none'].join('\n')}\n`), content]);
  const userKey = pbkdf2Sync(passphrase, userSalt, rounds, 32, 'sha1');
  const checked = isOld ? key : asCharacters(key);
  const checksum = pbkdf2Sync(checked, checksumSalt, rounds, 32, 'sha1');
  const blob = Buffer.concat([Buffer.from([16]), iv, Buffer.from([32]), key, Buffer.from([32]), checksum]);
  const encrypted = (by: Buffer, from: Buffer, bytes: Buffer) => {
    const cipher = createCipheriv('aes-256-cbc', by, from);
    return Buffer.concat([cipher.update(bytes), cipher.final()]);
  };
  const hex = (bytes: Buffer) => bytes.toString('hex').toUpperCase();
  const sealed = ['AES-256', hex(userSalt), hex(checksumSalt), `${rounds}`, hex(userIv)];
  const master = hex(encrypted(userKey, userIv, blob));
  return Buffer.concat([
    Buffer.from(`${[...lines, ...sealed, master].join('\n')}\n`),
    encrypted(key, iv, content),
  ]);
}

/** The archive in a backup of the newest version. */
export function backupByHand(stream: Buffer, passphrase?: Buffer): Buffer {
  const lines: string[] = [];
  let at = 0;
  const line = () => {
    const end = stream.indexOf('\n', at);
    lines.push(stream.toString('latin1', at, end));
    at = end + 1;
    return lines.at(-1)!;
  };
  if (line() !== 'ANDROID BACKUP' || line() !== '5' || line() !== '1') throw new Error(lines.join(' '));
  if (line() === 'none') return inflateSync(stream.subarray(at));
  const [, salt] = [0, line()];
  const checkSalt = line();
  const rounds = Number(line());
  const ownIv = line();
  const master = Buffer.from(line(), 'hex');
  const userKey = pbkdf2Sync(passphrase!, Buffer.from(salt, 'hex'), rounds, 32, 'sha1');
  const opening = createDecipheriv('aes-256-cbc', userKey, Buffer.from(ownIv, 'hex'));
  const blob = Buffer.concat([opening.update(master), opening.final()]);
  if (blob[0] !== 16 || blob[17] !== 32 || blob[50] !== 32) throw new Error('no master key');
  const [masterIv, masterKey, checksum] = [blob.subarray(1, 17), blob.subarray(18, 50), blob.subarray(51)];
  const computed = pbkdf2Sync(asCharacters(masterKey), Buffer.from(checkSalt, 'hex'), rounds, 32, 'sha1');
  if (!computed.equals(checksum)) throw new Error('the master key does not prove itself');
  const decipher = createDecipheriv('aes-256-cbc', masterKey, masterIv);
  return inflateSync(Buffer.concat([decipher.update(stream.subarray(at)), decipher.final()]));
}
