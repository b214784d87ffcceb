import { sha256 } from '../../bytes/hashing.ts';
import { FormatError } from '../../bytes/format-error.ts';
import { layout, raw, u32, u64 } from '../../bytes/layout.ts';
import { readWithin, type ByteSource } from '../../bytes/source.ts';
import { hex, readUtf8 } from '../../bytes/text.ts';
import { signerIn } from './der.ts';
import { readZipDirectory, readZipEntry, type ZipDirectory } from './zip.ts';

/** End of the APK signing block, before the central directory (Android, APK Signature Scheme v2), little endian. */
export const blockFooter = layout('apk-signing', { blockBytes: u64, magic: raw(16) });
export const blockMagic = 'APK Sig Block 42';
export const pairHead = layout('apk-signing', { bytes: u64, id: u32 });
/** Newest first. */
export const schemeIds = { 'v3.1': 0x1b93ad61, v3: 0xf05368c0, v2: 0x7109871a } as const;
const mostBlockBytes = 16 << 20;
const mostSignatureBytes = 1 << 20;

export interface Signing {
  /** The newest scheme that it is signed by. */
  readonly scheme: string;
  /** SHA-256 of each signer's certificate, lower-case hexadecimal. */
  readonly certificates: readonly string[];
}

const bad = (field: string, offset: number, reason: string) =>
  new FormatError('apk-signing', field, offset, reason);

/** Who signed an APK; undefined when nobody did. That the signature is right is not checked. @throws FormatError */
export async function readSigning(source: ByteSource, zip: ZipDirectory): Promise<Signing | undefined> {
  const found = await certificatesIn(source, zip);
  if (!found) return undefined;
  const digests = found.certificates.map((each) => hex(sha256(each)));
  return { scheme: found.scheme, certificates: [...new Set(digests)] };
}

/** The certificates of those who signed an APK, in DER; empty when nobody did. @throws FormatError */
export async function readSigners(source: ByteSource): Promise<readonly Uint8Array[]> {
  return (await certificatesIn(source, await readZipDirectory(source)))?.certificates ?? [];
}

async function certificatesIn(source: ByteSource, zip: ZipDirectory) {
  const block = await signingBlock(source, zip.directoryOffset);
  for (const [scheme, id] of Object.entries(schemeIds)) {
    const value = block?.get(id);
    if (value) return { scheme, certificates: signersIn(value) };
  }
  const signatures = zip.entries.filter(({ name }) => /^META-INF\/[^/]+\.(RSA|DSA|EC)$/i.test(name));
  if (signatures.length === 0) return undefined;
  const certificates: Uint8Array[] = [];
  for (const each of signatures) {
    const certificate = signerIn(await readZipEntry(source, each, mostSignatureBytes));
    if (certificate) certificates.push(certificate);
  }
  return { scheme: 'v1', certificates };
}

/** The pairs of the signing block by their ids. */
async function signingBlock(
  source: ByteSource,
  directoryOffset: number,
): Promise<ReadonlyMap<number, Uint8Array> | undefined> {
  const footerAt = directoryOffset - blockFooter.bytes;
  if (footerAt < 8) return undefined;
  const footer = blockFooter.read(
    await readWithin(source, footerAt, blockFooter.bytes, 'apk-signing', 'magic'),
    0,
    footerAt,
  );
  if (readUtf8(footer.magic) !== blockMagic) return undefined;
  const blockBytes = Number(footer.blockBytes);
  const start = directoryOffset - blockBytes;
  if (blockBytes < blockFooter.bytes || blockBytes > mostBlockBytes || start < 8) {
    throw bad('blockBytes', footerAt, `${footer.blockBytes} bytes`);
  }
  const pairs = await readWithin(source, start, blockBytes - blockFooter.bytes, 'apk-signing', 'pairs');
  const found = new Map<number, Uint8Array>();
  for (let at = 0; at + pairHead.bytes <= pairs.length;) {
    const { bytes, id } = pairHead.read(pairs, at, start);
    const end = at + 8 + Number(bytes);
    if (bytes < 4n || end > pairs.length) throw bad('pair', start + at, `a pair of ${bytes} bytes`);
    found.set(id, pairs.subarray(at + pairHead.bytes, end));
    at = end;
  }
  return found;
}

/** The first certificate of every signer. */
function signersIn(value: Uint8Array): Uint8Array[] {
  const [signers] = prefixed(value);
  return prefixed(signers!).map((signer) => {
    const [signedData] = prefixed(signer, 1);
    const [, certificates] = prefixed(signedData ?? new Uint8Array(), 2);
    const [certificate] = certificates ? prefixed(certificates, 1) : [];
    if (!certificate) throw bad('certificates', 0, 'a signer without a certificate');
    return certificate;
  });
}

/** Stretches, each behind its length in 32 bits. @param most how many are wanted */
function prefixed(bytes: Uint8Array, most = 16): Uint8Array[] {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const found: Uint8Array[] = [];
  for (let at = 0; at + 4 <= bytes.length && found.length < most;) {
    const length = view.getUint32(at, true);
    if (at + 4 + length > bytes.length) throw bad('length', at, `${length} bytes where fewer are left`);
    found.push(bytes.subarray(at + 4, at + 4 + length));
    at += 4 + length;
  }
  if (found.length === 0) throw bad('length', 0, 'nothing in it');
  return found;
}
