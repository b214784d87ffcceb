import { sha256 } from '../../bytes/hashing.ts';
import { viewOf } from '../../bytes/layout.ts';
import { hex } from '../../bytes/text.ts';

/** What a signature says that lies beside its APK (Android, APK Signature Scheme v4: `NAME.apk.idsig`). */
export interface V4Signature {
  /** SHA-256 of the signer's certificate, lower-case hexadecimal. */
  readonly certificate: string;
  /** Root of the tree of hashes over the APK, lower-case hexadecimal. */
  readonly rootHash: string;
  readonly blockBytes: number;
}

const version = 2;
const sha256Number = 1;
const mostPartBytes = 1 << 20;

/** @returns undefined for anything else */
export function readV4Signature(head: Uint8Array): V4Signature | undefined {
  const view = viewOf(head);
  if (head.length < 8 || view.getUint32(0, true) !== version) return undefined;
  /** A stretch behind its length; undefined where it ends too early. */
  const prefixed = (bytes: Uint8Array, at: number): Uint8Array | undefined => {
    if (at + 4 > bytes.length) return undefined;
    const length = viewOf(bytes).getUint32(at, true);
    return length > mostPartBytes || at + 4 + length > bytes.length
      ? undefined
      : bytes.subarray(at + 4, at + 4 + length);
  };
  const hashing = prefixed(head, 4);
  const signing = hashing && prefixed(head, 8 + hashing.length);
  if (!hashing || !signing || hashing.length < 5 || viewOf(hashing).getUint32(0, true) !== sha256Number)
    return undefined;
  const log = hashing[4]!;
  const salt = prefixed(hashing, 5);
  const root = salt && prefixed(hashing, 9 + salt.length);
  const digest = prefixed(signing, 0);
  const certificate = digest && prefixed(signing, 4 + digest.length);
  if (log < 9 || log > 24 || root?.length !== 32 || !certificate || certificate.length === 0)
    return undefined;
  return { certificate: hex(sha256(certificate)), rootHash: hex(root), blockBytes: 2 ** log };
}
