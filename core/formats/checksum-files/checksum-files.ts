import { linesOf } from '../../bytes/lines.ts';
import { hex } from '../../bytes/text.ts';

/** Digests that checksum files carry, told apart by their length. */
export type ChecksumKind = 'sha256' | 'md5';

export interface Checksum {
  readonly kind: ChecksumKind;
  /** Lower-case hexadecimal. */
  readonly digest: string;
  /** Path as it stands in the file. */
  readonly name: string;
}

const kindByLength: Readonly<Record<number, ChecksumKind>> = { 32: 'md5', 64: 'sha256' };

/** A line as sha256sum and md5sum write and check it, in binary mode (GNU coreutils manual, 6.4 and 6.5). */
export const checksumLine = (digest: Uint8Array, name: string): string =>
  /[\\\n\r]/.test(name)
    ? `\\${hex(digest)} *${name.replaceAll('\\', '\\\\').replaceAll('\n', '\\n').replaceAll('\r', '\\r')}\n`
    : `${hex(digest)} *${name}\n`;

/** The file names in which such lists usually come. */
export const isChecksumFileName = (name: string): boolean =>
  /^(sha256|md5)sums?(\.txt)?$/i.test(name) || /\.(sha256|sha256sum|md5|md5sum)$/i.test(name);

/** The lines of a checksum file as GNU coreutils and BSD write them; others are passed over. */
export function* checksumsIn(text: string): Generator<Checksum> {
  for (const line of linesOf(text)) {
    const gnu = /^(\\?)([0-9a-fA-F]{32}|[0-9a-fA-F]{64}) [ *](.+)$/s.exec(line);
    const bsd = /^(SHA256|MD5) \((.+)\) = ([0-9a-fA-F]+)$/s.exec(line);
    const digest = (gnu?.[2] ?? bsd?.[3])?.toLowerCase();
    const kind = digest && kindByLength[digest.length];
    if (!digest || !kind) continue;
    const name = gnu ? (gnu[1] ? unescaped(gnu[3]!) : gnu[3]!) : bsd![2]!;
    yield { kind, digest, name: name.replace(/^\.\//, '') };
  }
}

const escapes: Readonly<Record<string, string>> = { n: '\n', r: '\r', '\\': '\\' };
const unescaped = (name: string) => name.replace(/\\([nr\\])/g, (_, letter: string) => escapes[letter]!);
