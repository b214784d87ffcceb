import { createCipheriv, pbkdf2Sync, randomBytes } from 'node:crypto';

// What the platform does where a password is typed when it backs up (AOSP, frameworks/base, services/backup, PerformAdbBackupTask,
// utils/PasswordUtils): AES-256 by a key of its own, which the password opens.

const rounds = 10_000;
const begins = 'ANDROID BACKUP\n5\n1\n';

/** Java turns a byte of the key into a character with its sign: what is negative becomes U+FF80 to U+FFFF. */
const characters = (key: Uint8Array): string =>
  String.fromCharCode(...[...key].map((byte) => (byte > 127 ? byte + 0xff00 : byte)));

/** The lines that a backup begins with, and what encrypts the rest; nothing does without a password. */
export function beginsWith(password: string) {
  if (password === '') return { head: Buffer.from(`${begins}none\n`), cipher: undefined };
  const [key, iv, userIv, userSalt, checkSalt] = [32, 16, 16, 64, 64].map((bytes) => randomBytes(bytes)) as [
    Buffer,
    Buffer,
    Buffer,
    Buffer,
    Buffer,
  ];
  const check = pbkdf2Sync(characters(key), checkSalt, rounds, 32, 'sha1');
  const own = createCipheriv('aes-256-cbc', pbkdf2Sync(password, userSalt, rounds, 32, 'sha1'), userIv);
  const sized = (part: Buffer) => Buffer.concat([Buffer.from([part.length]), part]);
  const master = Buffer.concat([own.update(Buffer.concat([iv, key, check].map(sized))), own.final()]);
  const hex = (part: Buffer) => part.toString('hex').toUpperCase();
  const lines = ['AES-256', hex(userSalt), hex(checkSalt), `${rounds}`, hex(userIv), hex(master)];
  return {
    head: Buffer.from(`${begins}${lines.join('\n')}\n`),
    cipher: createCipheriv('aes-256-cbc', key, iv),
  };
}
