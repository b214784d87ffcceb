import { joinBytes } from '../../../bytes/join.ts';
import { written } from '../../../bytes/layout.ts';
import { utf8 } from '../../../bytes/text.ts';
import { blockFooter, blockMagic, pairHead, schemeIds } from '../signing.ts';
import { words } from './write-chunks.ts';
import type { ZipParts } from './write-zip.ts';

/** Who signs, with RSA (PKCS #1 v1.5) over SHA-256. */
export interface ApkSigner {
  /** X.509, DER. */
  readonly certificate: Uint8Array;
  /** SubjectPublicKeyInfo, DER. */
  readonly publicKey: Uint8Array;
  sha256(bytes: Uint8Array): Uint8Array;
  sign(bytes: Uint8Array): Uint8Array;
}

/** RSASSA-PKCS1-v1_5 with SHA-256 (Android, APK Signature Scheme v2). */
const algorithm = 0x0103;
const pieceBytes = 1 << 20;
const marks = { piece: 0xa5, whole: 0x5a } as const;

/** Puts an APK signing block (scheme v2) between an archive's files and its directory. */
export function signedApk({ files, directory, end }: ZipParts, signer: ApkSigner): Uint8Array {
  // What is signed is the end as it would be without the block: its directory stands where the block begins.
  const digest = contentDigest([files, directory, end(files.length)], signer);
  const signedData = joinBytes([
    prefix(prefix(joinBytes([words(algorithm), prefix(digest)]))),
    prefix(prefix(signer.certificate)),
    prefix(new Uint8Array()),
  ]);
  const signature = joinBytes([words(algorithm), prefix(signer.sign(signedData))]);
  const one = joinBytes([prefix(signedData), prefix(prefix(signature)), prefix(signer.publicKey)]);
  const block = signingBlock(prefix(prefix(one)));
  return joinBytes([files, block, directory, end(files.length + block.length)]);
}

function signingBlock(value: Uint8Array): Uint8Array {
  const pair = joinBytes([written(pairHead, { bytes: BigInt(4 + value.length), id: schemeIds.v2 }), value]);
  const blockBytes = BigInt(pair.length + blockFooter.bytes);
  const footer = written(blockFooter, { blockBytes, magic: utf8(blockMagic) });
  return joinBytes([footer.subarray(0, 8), pair, footer]);
}

/** Over pieces of a mebibyte, each digested by itself. */
function contentDigest(sections: readonly Uint8Array[], { sha256 }: ApkSigner): Uint8Array {
  const digests: Uint8Array[] = [];
  for (const section of sections) {
    for (let at = 0; at < section.length; at += pieceBytes) {
      const piece = section.subarray(at, at + pieceBytes);
      digests.push(sha256(joinBytes([Uint8Array.of(marks.piece), words(piece.length), piece])));
    }
  }
  return sha256(joinBytes([Uint8Array.of(marks.whole), words(digests.length), ...digests]));
}

const prefix = (bytes: Uint8Array): Uint8Array => joinBytes([words(bytes.length), bytes]);
