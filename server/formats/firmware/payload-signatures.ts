import { createVerify, X509Certificate } from 'node:crypto';
import { FormatError } from '@keen-larder/core/bytes/format-error.ts';
import { readWithin, type ByteSource } from '@keen-larder/core/bytes/source.ts';
import { readSignatures } from '@keen-larder/core/formats/update-payload/manifest.ts';
import type { Payload } from '@keen-larder/core/formats/update-payload/payload.ts';
import { sourceBytes } from '../file-source.ts';

/** What became of a signature. */
export type SignatureState = 'matches' | 'does not match' | 'none';

/**
 * Holds an update against the certificate that comes with it: the signature over its metadata, and, where it has one, that
 * over all of it (RSA or ECDSA with SHA-256).
 * @param certificate as PEM
 * @throws FormatError where the certificate cannot be read
 */
export async function judgeSignatures(
  source: ByteSource,
  { manifest, metadataBytes, metadataSignature, dataAt }: Payload,
  certificate: string,
): Promise<SignatureState> {
  let key: X509Certificate['publicKey'];
  try {
    key = new X509Certificate(certificate).publicKey;
  } catch (error) {
    throw new FormatError('certificate', 'PEM', 0, (error as Error).message);
  }
  const matches = async (over: readonly (readonly [number, number])[], at: number, bytes: number) => {
    const signatures = readSignatures(await readWithin(source, at, bytes, 'update payload', 'signature'));
    const verifier = createVerify('sha256');
    for (const [offset, length] of over)
      for await (const part of sourceBytes(source, offset, length)) verifier.update(part);
    return signatures.some((signature) => verifier.verify(key, signature));
  };
  const { signaturesOffset, signaturesBytes } = manifest;
  if (metadataSignature.bytes === 0 && !signaturesBytes) return 'none';
  if (metadataSignature.bytes > 0) {
    const { offset, bytes } = metadataSignature;
    if (!(await matches([[0, metadataBytes]], offset, bytes))) return 'does not match';
  }
  if (signaturesOffset !== undefined && signaturesBytes) {
    const over = [
      [0, metadataBytes],
      [dataAt, signaturesOffset],
    ] as const;
    if (!(await matches(over, dataAt + signaturesOffset, signaturesBytes))) return 'does not match';
  }
  return 'matches';
}
