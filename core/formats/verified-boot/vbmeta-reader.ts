import { FormatError } from '../../bytes/format-error.ts';
import { safeInteger } from '../../bytes/layout.ts';
import { readWithin, type ByteSource } from '../../bytes/source.ts';
import { readAscii } from '../../bytes/text.ts';
import { readDescriptors, type Descriptor } from './descriptors.ts';
import {
  algorithms,
  avbFooter,
  footerMagic,
  maxVbmetaBytes,
  vbmetaHeader,
  vbmetaMagic,
  type Algorithm,
} from './layouts.ts';

/** Where the metadata of a partition lies that carries its own. */
export interface AvbFooter {
  /** Bytes of the image itself, before hash tree and metadata. */
  readonly originalImageBytes: number;
  readonly vbmetaOffset: number;
  readonly vbmetaBytes: number;
}

export interface Vbmeta {
  /** Undefined when it is not signed. */
  readonly algorithm: Algorithm | undefined;
  readonly rollbackIndex: bigint;
  readonly rollbackIndexLocation: number;
  readonly flags: number;
  /** The program that made it. */
  readonly release: string;
  readonly descriptors: readonly Descriptor[];
  /** As it stands in the image: header, modulus, R² mod n; empty when it is not signed. */
  readonly publicKey: Uint8Array;
  /** Bytes of the whole image. */
  readonly bytes: number;
  /** For `verifyVbmeta`: what is signed, the digest given for it, and the signature. */
  readonly signed: Uint8Array;
  readonly digest: Uint8Array;
  readonly signature: Uint8Array;
}

/** The footer in a partition's last 64 bytes; undefined where there is none. @throws FormatError when it points outside */
export async function readAvbFooter(source: ByteSource): Promise<AvbFooter | undefined> {
  const base = source.bytes - avbFooter.bytes;
  if (base < 0) return undefined;
  const bytes = await readWithin(source, base, avbFooter.bytes, 'verified-boot', 'footer');
  if (readAscii(bytes.subarray(0, 4)) !== footerMagic) return undefined;
  const footer = avbFooter.read(bytes, 0, base);
  const at = (field: Parameters<typeof avbFooter.offsetOf>[0]) => base + avbFooter.offsetOf(field);
  const size = (field: 'originalImageBytes' | 'vbmetaOffset' | 'vbmetaBytes') =>
    safeInteger(footer[field], 'verified-boot', field, at(field));
  if (footer.major !== 1) {
    throw new FormatError('verified-boot', 'major', at('major'), `a footer of version ${footer.major}`);
  }
  const found = {
    originalImageBytes: size('originalImageBytes'),
    vbmetaOffset: size('vbmetaOffset'),
    vbmetaBytes: size('vbmetaBytes'),
  };
  if (found.vbmetaOffset + found.vbmetaBytes > base || found.originalImageBytes > base) {
    throw new FormatError(
      'verified-boot',
      'vbmetaOffset',
      at('vbmetaOffset'),
      `metadata of ${found.vbmetaBytes} bytes at ${found.vbmetaOffset} in ${source.bytes}`,
    );
  }
  return found;
}

/**
 * Reads verified-boot metadata (AOSP external/avb, avb_vbmeta_image.h); nothing is verified yet.
 * @param offset where it starts in the source: 0 in a vbmeta partition, the footer's offset elsewhere
 * @throws FormatError when it is none or its parts do not fit
 */
export async function readVbmeta(source: ByteSource, offset = 0): Promise<Vbmeta> {
  const head = await readWithin(source, offset, vbmetaHeader.bytes, 'verified-boot', 'header');
  const header = vbmetaHeader.read(head, 0, offset);
  const at = (field: Parameters<typeof vbmetaHeader.offsetOf>[0]) => offset + vbmetaHeader.offsetOf(field);
  const bad = (field: Parameters<typeof vbmetaHeader.offsetOf>[0], reason: string) =>
    new FormatError('verified-boot', field, at(field), reason);
  if (header.magic !== vbmetaMagic) throw bad('magic', `no "${vbmetaMagic}" here`);
  if (header.requiredMajor !== 1) throw bad('requiredMajor', `needs version ${header.requiredMajor}`);
  const authentication = blockBytes('authenticationBytes');
  const auxiliary = blockBytes('auxiliaryBytes');
  if (header.algorithm >= algorithms.length) throw bad('algorithm', `${header.algorithm} is unknown`);

  const body = await readWithin(
    source,
    offset + vbmetaHeader.bytes,
    authentication + auxiliary,
    'verified-boot',
    'auxiliaryBytes',
  );
  const auxiliaryBlock = body.subarray(authentication);
  const descriptors = part(auxiliaryBlock, 'descriptorsOffset', 'descriptorsBytes');
  const descriptorsBase = offset + vbmetaHeader.bytes + authentication + Number(header.descriptorsOffset);
  const signed = new Uint8Array(head.length + auxiliaryBlock.length);
  signed.set(head);
  signed.set(auxiliaryBlock, head.length);
  return {
    algorithm: algorithms[header.algorithm],
    rollbackIndex: header.rollbackIndex,
    rollbackIndexLocation: header.rollbackIndexLocation,
    flags: header.flags,
    release: header.release,
    descriptors: readDescriptors(descriptors, descriptorsBase),
    publicKey: part(auxiliaryBlock, 'publicKeyOffset', 'publicKeyBytes'),
    bytes: vbmetaHeader.bytes + body.length,
    signed,
    digest: part(body.subarray(0, authentication), 'hashOffset', 'hashBytes'),
    signature: part(body.subarray(0, authentication), 'signatureOffset', 'signatureBytes'),
  };

  function blockBytes(field: 'authenticationBytes' | 'auxiliaryBytes'): number {
    const bytes = header[field];
    if (bytes % 64n !== 0n || bytes > BigInt(maxVbmetaBytes)) {
      throw bad(field, `${bytes} bytes; a multiple of 64 up to ${maxVbmetaBytes} is possible`);
    }
    return Number(bytes);
  }

  function part(
    block: Uint8Array,
    startField: 'hashOffset' | 'signatureOffset' | 'publicKeyOffset' | 'descriptorsOffset',
    lengthField: 'hashBytes' | 'signatureBytes' | 'publicKeyBytes' | 'descriptorsBytes',
  ): Uint8Array {
    const [start, length] = [header[startField], header[lengthField]];
    if (start + length > BigInt(block.length)) {
      throw bad(startField, `bytes ${start} to ${start + length} of a block of ${block.length}`);
    }
    return new Uint8Array(block.subarray(Number(start), Number(start + length)));
  }
}
