import { sha256 } from '../../bytes/hashing.ts';
import { joinBytes, padBytes } from '../../bytes/join.ts';
import { utf8 } from '../../bytes/text.ts';
import {
  chainFields,
  descriptorHeader,
  descriptorTags,
  footerMagic,
  avbFooter,
  hashFields,
  propertyFields,
  publicKeyHeader,
  vbmetaHeader,
  vbmetaMagic,
} from './layouts.ts';

/** A statement to be written; those of hash trees are not made here. */
export type DescriptorPlan =
  | { readonly kind: 'property'; readonly key: string; readonly value: string }
  | {
      readonly kind: 'hash';
      readonly partition: string;
      readonly salt: Uint8Array;
      readonly image: Uint8Array;
    }
  | {
      readonly kind: 'chain';
      readonly partition: string;
      readonly rollbackIndexLocation: number;
      readonly publicKey: Uint8Array;
    };

/** What signs a vbmeta image: SHA256_RSA2048 alone. */
export interface VbmetaSigner {
  /** As the image carries it (see `encodePublicKey`). */
  readonly publicKey: Uint8Array;
  /** RSASSA-PKCS1-v1_5 with SHA-256 (RFC 8017, 8.2), 256 bytes. */
  sign(bytes: Uint8Array): Uint8Array;
}

const algorithmNumber = 1;
const digestBytes = 32;
const signatureBytes = 256;
const reserved60 = new Uint8Array(60);

/** A vbmeta image (AOSP external/avb), signed by a key of 2048 bits. */
export function writeVbmeta(
  descriptors: readonly DescriptorPlan[],
  rollbackIndex: bigint,
  signer: VbmetaSigner,
): Uint8Array {
  const listed = joinBytes(descriptors.map(writeDescriptor));
  const auxiliary = padBytes(joinBytes([listed, signer.publicKey]), 64);
  const authenticationBytes = Math.ceil((digestBytes + signatureBytes) / 64) * 64;
  const header = new Uint8Array(vbmetaHeader.bytes);
  vbmetaHeader.write(header, 0, {
    magic: vbmetaMagic,
    requiredMajor: 1,
    requiredMinor: 0,
    authenticationBytes: BigInt(authenticationBytes),
    auxiliaryBytes: BigInt(auxiliary.length),
    algorithm: algorithmNumber,
    hashOffset: 0n,
    hashBytes: BigInt(digestBytes),
    signatureOffset: BigInt(digestBytes),
    signatureBytes: BigInt(signatureBytes),
    publicKeyOffset: BigInt(listed.length),
    publicKeyBytes: BigInt(signer.publicKey.length),
    publicKeyMetadataOffset: 0n,
    publicKeyMetadataBytes: 0n,
    descriptorsOffset: 0n,
    descriptorsBytes: BigInt(listed.length),
    rollbackIndex,
    flags: 0,
    rollbackIndexLocation: 0,
    release: 'keen-larder',
    reserved: new Uint8Array(80),
  });
  const signed = joinBytes([header, auxiliary]);
  const authentication = padBytes(joinBytes([sha256(signed), signer.sign(signed)]), 64);
  return joinBytes([header, authentication, auxiliary]);
}

/** A partition whose last bytes say where its own vbmeta image lies (avb_footer.h). */
export function withFooter(image: Uint8Array, vbmeta: Uint8Array, partitionBytes: number): Uint8Array {
  const vbmetaOffset = Math.ceil(image.length / 4096) * 4096;
  const whole = new Uint8Array(partitionBytes);
  whole.set(image);
  whole.set(vbmeta, vbmetaOffset);
  avbFooter.write(whole, partitionBytes - avbFooter.bytes, {
    magic: footerMagic,
    major: 1,
    minor: 0,
    originalImageBytes: BigInt(image.length),
    vbmetaOffset: BigInt(vbmetaOffset),
    vbmetaBytes: BigInt(vbmeta.length),
    reserved: new Uint8Array(28),
  });
  return whole;
}

/** An RSA public key as vbmeta images carry it (avb_crypto.h). @param modulus big endian */
export function encodePublicKey(modulus: Uint8Array): Uint8Array {
  const bits = modulus.length * 8;
  const n = modulus.reduce((value, byte) => (value << 8n) | BigInt(byte), 0n);
  const word = 2n ** 32n;
  let inverse = 1n;
  for (let i = 0; i < 5; i++) inverse = (inverse * (2n - n * inverse)) & (word - 1n);
  const header = new Uint8Array(publicKeyHeader.bytes);
  const n0inv = Number((word - (inverse & (word - 1n))) & (word - 1n));
  publicKeyHeader.write(header, 0, { keyBits: bits, n0inv });
  const square = ((1n << BigInt(bits)) * (1n << BigInt(bits))) % n;
  const digits = square.toString(16).padStart(bits / 4, '0');
  const rr = Uint8Array.from({ length: bits / 8 }, (_, i) =>
    Number.parseInt(digits.slice(i * 2, i * 2 + 2), 16),
  );
  return joinBytes([header, modulus, rr]);
}

function writeDescriptor(plan: DescriptorPlan): Uint8Array {
  const [tag, body] = bodyOf(plan);
  const content = padBytes(body, 8);
  const header = new Uint8Array(descriptorHeader.bytes);
  descriptorHeader.write(header, 0, { tag: BigInt(tag), bytesFollowing: BigInt(content.length) });
  return joinBytes([header, content]);
}

function bodyOf(plan: DescriptorPlan): [tag: number, body: Uint8Array] {
  switch (plan.kind) {
    case 'property': {
      const [key, value] = [utf8(plan.key), utf8(plan.value)];
      const fields = new Uint8Array(propertyFields.bytes);
      propertyFields.write(fields, 0, { keyBytes: BigInt(key.length), valueBytes: BigInt(value.length) });
      return [descriptorTags.property, joinBytes([fields, key, Uint8Array.of(0), value, Uint8Array.of(0)])];
    }
    case 'hash': {
      const name = utf8(plan.partition);
      const digest = sha256(joinBytes([plan.salt, plan.image]));
      const fields = new Uint8Array(hashFields.bytes);
      hashFields.write(fields, 0, {
        imageBytes: BigInt(plan.image.length),
        hashAlgorithm: 'sha256',
        partitionNameBytes: name.length,
        saltBytes: plan.salt.length,
        digestBytes: digest.length,
        flags: 0,
        reserved: reserved60,
      });
      return [descriptorTags.hash, joinBytes([fields, name, plan.salt, digest])];
    }
    case 'chain': {
      const name = utf8(plan.partition);
      const fields = new Uint8Array(chainFields.bytes);
      chainFields.write(fields, 0, {
        rollbackIndexLocation: plan.rollbackIndexLocation,
        partitionNameBytes: name.length,
        publicKeyBytes: plan.publicKey.length,
        flags: 0,
        reserved: reserved60,
      });
      return [descriptorTags.chain, joinBytes([fields, name, plan.publicKey])];
    }
  }
}
