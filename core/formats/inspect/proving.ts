import type { ByteSource } from '../../bytes/source.ts';
import { checkHashTree, matchesHash, readAvbFooter, readVbmeta } from '../verified-boot/verified-boot.ts';

/** What an image's own metadata say of its contents, once they were computed. */
export interface SelfProof {
  /** Sentences that say what was proved. */
  readonly proved: readonly string[];
  readonly findings: readonly string[];
}

/**
 * Has an image prove itself by the verified-boot metadata at its end: its digest, or the tree of digests over it. All of it is read.
 * @throws FormatError where the metadata cannot be read
 */
export async function proveItself(source: ByteSource): Promise<SelfProof> {
  const footer = await readAvbFooter(source);
  if (!footer) return { proved: [], findings: [] };
  const { descriptors } = await readVbmeta(source, footer.vbmetaOffset);
  const proved: string[] = [];
  const findings: string[] = [];
  for (const descriptor of descriptors) {
    if (descriptor.kind === 'hash') {
      const matches = await matchesHash(descriptor, source);
      if (matches) proved.push('Its contents match the digest in its own metadata.');
      else if (matches === false) findings.push('Its contents do not match the digest in its own metadata.');
    } else if (descriptor.kind === 'hashtree') {
      const verdict = await checkHashTree(descriptor, source);
      if (verdict?.matches)
        proved.push('Its contents lead to the root of the hash tree in its own metadata.');
      else if (verdict)
        findings.push(
          `Its contents do not lead to the root of the hash tree in its own metadata${
            verdict.firstDamaged === undefined
              ? ''
              : `: block ${verdict.firstDamaged} is the first that differs`
          }.`,
        );
    }
  }
  return { proved, findings };
}
