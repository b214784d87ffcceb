import { FormatError } from '../../bytes/format-error.ts';
import { readUtf8 } from '../../bytes/text.ts';

/**
 * The platform's own backup stream, as `adb backup` writes it (AOSP, frameworks/base, services/backup,
 * UserBackupManagerService and PerformFullTransportBackup, PerformAdbBackupTask): some lines, then a tar archive, packed by zlib and
 * encrypted where it is.
 */
const format = 'Android backup';
export const backupMark = 'ANDROID BACKUP\n';
/** Of what is written here; it is what Android has written since 7 (from memory). */
export const newestVersion = 5;
/** No header is longer. */
export const mostHeaderBytes = 8 << 10;
/** The phone itself takes 10,000; a file may say anything, and each costs time. */
const mostRounds = 1_000_000;
const encryption = 'AES-256';

/** What a passphrase opens. Salts and vectors as they are, the master key encrypted. */
export interface BackupEncryption {
  readonly userSalt: Uint8Array;
  readonly checksumSalt: Uint8Array;
  /** Of PBKDF2. */
  readonly rounds: number;
  /** 16 bytes. */
  readonly userIv: Uint8Array;
  /** By the user's key: AES-256-CBC with PKCS #5 padding. */
  readonly masterKey: Uint8Array;
}

export interface BackupHeader {
  readonly version: number;
  readonly isPacked: boolean;
  readonly encryption: BackupEncryption | undefined;
  /** Of the header itself. */
  readonly bytes: number;
}

export const looksLikeBackup = (head: Uint8Array): boolean =>
  head.length >= backupMark.length && readUtf8(head.subarray(0, backupMark.length)) === backupMark;

/** @param head the stream's first bytes, `mostHeaderBytes` of them where it has so many @throws FormatError */
export function readBackupHeader(head: Uint8Array): BackupHeader {
  let at = 0;
  const line = (field: string): string => {
    const from = at;
    const end = head.indexOf(0x0a, from);
    if (end < 0 || end >= mostHeaderBytes) throw new FormatError(format, field, from, 'it has no end');
    at = end + 1;
    return readUtf8(head.subarray(from, end));
  };
  const count = (field: string, most: number): number => {
    const from = at;
    const text = line(field);
    const value = Number(text);
    if (!/^\d{1,9}$/.test(text) || value > most)
      throw new FormatError(format, field, from, `${text.slice(0, 40)}, and at most ${most} is read`);
    return value;
  };
  const bytes = (field: string, least: number): Uint8Array => {
    const from = at;
    const text = line(field);
    if (!/^(?:[0-9a-f]{2})*$/i.test(text) || text.length < 2 * least)
      throw new FormatError(format, field, from, 'it is not so many bytes in hexadecimal digits');
    return Uint8Array.from(text.match(/../g) ?? [], (pair) => Number.parseInt(pair, 16));
  };
  if (line('mark') !== backupMark.trimEnd()) throw new FormatError(format, 'mark', 0, 'it has none');
  const version = count('version', newestVersion);
  if (version < 1) throw new FormatError(format, 'version', backupMark.length, 'the first one is 1');
  const isPacked = count('compressed', 1) === 1;
  const encryptedAt = at;
  const kind = line('encryption');
  if (kind === 'none') return { version, isPacked, encryption: undefined, bytes: at };
  if (kind !== encryption)
    throw new FormatError(format, 'encryption', encryptedAt, `${kind.slice(0, 40)} is not read here`);
  const userSalt = bytes('user salt', 1);
  const checksumSalt = bytes('checksum salt', 1);
  const rounds = count('rounds', mostRounds);
  const userIv = bytes('user IV', 16);
  const masterKey = bytes('master key', 16);
  if (rounds < 1 || userIv.length !== 16 || masterKey.length % 16 !== 0)
    throw new FormatError(format, 'encryption', encryptedAt, 'its numbers do not fit each other');
  return { version, isPacked, encryption: { userSalt, checksumSalt, rounds, userIv, masterKey }, bytes: at };
}

const hex = (bytes: Uint8Array) =>
  Array.from(bytes, (byte) => byte.toString(16).padStart(2, '0').toUpperCase()).join('');

/** What stands before the archive. */
export function backupHeader({ version, isPacked, encryption: by }: Omit<BackupHeader, 'bytes'>): string {
  const lines = by
    ? [encryption, hex(by.userSalt), hex(by.checksumSalt), `${by.rounds}`, hex(by.userIv), hex(by.masterKey)]
    : ['none'];
  return `${[backupMark.trimEnd(), version, isPacked ? 1 : 0, ...lines].join('\n')}\n`;
}
