import { FormatError } from '../../bytes/format-error.ts';

/** What a backup says of an app before its files (AOSP, frameworks/base, services/backup, AppMetadataBackupWriter). */
export interface BackedUpApp {
  readonly package: string;
  readonly versionCode: number;
  /** Android's API level on the phone that wrote it. */
  readonly sdk: number;
  readonly installer: string | undefined;
  readonly hasProgram: boolean;
  /** Certificates of those who signed it, DER in hexadecimal digits. */
  readonly signatures: readonly string[];
}

const format = 'Android backup';
const manifestVersion = '1';
/** The phone itself reads no longer one. */
export const mostManifestBytes = 64 << 10;

/** @param where the entry's name, for what is thrown @throws FormatError */
export function readAppManifest(text: string, where: string): BackedUpApp {
  const lines = text.split('\n');
  const bad = (reason: string) => new FormatError(format, where, 0, reason);
  const [version, name = '', versionCode = '', sdk = '', installer = '', program, count = '', ...rest] =
    lines;
  if (version !== manifestVersion) throw bad(`its form ${String(version).slice(0, 20)} is not read here`);
  if (!name) throw bad('it names no app');
  if (![versionCode, sdk, count].every((each) => /^\d{1,15}$/.test(each))) throw bad('its numbers are none');
  const signatures = rest.slice(0, Number(count));
  if (signatures.length < Number(count) || !signatures.every((each) => /^(?:[0-9a-f]{2})+$/i.test(each)))
    throw bad('signatures are missing');
  return {
    package: name,
    versionCode: Number(versionCode),
    sdk: Number(sdk),
    installer: installer || undefined,
    hasProgram: program === '1',
    signatures,
  };
}

export const printAppManifest = (app: BackedUpApp): string =>
  [
    manifestVersion,
    app.package,
    app.versionCode,
    app.sdk,
    app.installer ?? '',
    app.hasProgram ? 1 : 0,
    app.signatures.length,
    ...app.signatures,
    '',
  ].join('\n');
