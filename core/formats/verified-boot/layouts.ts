import { ascii, layout, raw, u32be, u64be } from '../../bytes/layout.ts';

/** Verified-boot metadata header (AOSP external/avb, avb_vbmeta_image.h), big endian, 256 bytes. */
export const vbmetaHeader = layout('verified-boot', {
  magic: ascii(4), // "AVB0"
  requiredMajor: u32be,
  requiredMinor: u32be,
  authenticationBytes: u64be,
  auxiliaryBytes: u64be,
  algorithm: u32be,
  hashOffset: u64be, // into the authentication block, as the signature
  hashBytes: u64be,
  signatureOffset: u64be,
  signatureBytes: u64be,
  publicKeyOffset: u64be, // into the auxiliary block, as what follows
  publicKeyBytes: u64be,
  publicKeyMetadataOffset: u64be,
  publicKeyMetadataBytes: u64be,
  descriptorsOffset: u64be,
  descriptorsBytes: u64be,
  rollbackIndex: u64be,
  flags: u32be,
  rollbackIndexLocation: u32be,
  release: ascii(48),
  reserved: raw(80),
});

/** Footer in the last 64 bytes of a partition that carries its own metadata (avb_footer.h). */
export const avbFooter = layout('verified-boot', {
  magic: ascii(4), // "AVBf"
  major: u32be,
  minor: u32be,
  originalImageBytes: u64be,
  vbmetaOffset: u64be,
  vbmetaBytes: u64be,
  reserved: raw(28),
});

/** Before every descriptor (avb_descriptor.h). */
export const descriptorHeader = layout('verified-boot', {
  tag: u64be,
  bytesFollowing: u64be, // a multiple of 8
});

export const descriptorTags = { property: 0, hashtree: 1, hash: 2, kernelCommandLine: 3, chain: 4 } as const;

/** What follows the header of each kind of descriptor; text and digests come behind it. */
export const propertyFields = layout('verified-boot', { keyBytes: u64be, valueBytes: u64be });

export const hashtreeFields = layout('verified-boot', {
  dmVerityVersion: u32be,
  imageBytes: u64be,
  treeOffset: u64be,
  treeBytes: u64be,
  dataBlockBytes: u32be,
  hashBlockBytes: u32be,
  fecRoots: u32be,
  fecOffset: u64be,
  fecBytes: u64be,
  hashAlgorithm: ascii(32),
  partitionNameBytes: u32be,
  saltBytes: u32be,
  rootDigestBytes: u32be,
  flags: u32be,
  reserved: raw(60),
});

export const hashFields = layout('verified-boot', {
  imageBytes: u64be,
  hashAlgorithm: ascii(32),
  partitionNameBytes: u32be,
  saltBytes: u32be,
  digestBytes: u32be,
  flags: u32be,
  reserved: raw(60),
});

export const commandLineFields = layout('verified-boot', { flags: u32be, commandLineBytes: u32be });

export const chainFields = layout('verified-boot', {
  rollbackIndexLocation: u32be,
  partitionNameBytes: u32be,
  publicKeyBytes: u32be,
  flags: u32be,
  reserved: raw(60),
});

/** Before the modulus of a public key (avb_crypto.h); modulus and R² mod n follow, each of that many bits. */
export const publicKeyHeader = layout('verified-boot', { keyBits: u32be, n0inv: u32be });

export const vbmetaMagic = 'AVB0';
export const footerMagic = 'AVBf';
/** The program that wrote the format says 64 KiB is the most that a vbmeta image may be (avb_slot_verify.c). */
export const maxVbmetaBytes = 64 * 1024;

export interface Algorithm {
  readonly name: string;
  readonly hash: 'sha256' | 'sha512';
  readonly keyBits: number;
}

/** Algorithms by their number in the header (avb_crypto.h); 0 is none. */
export const algorithms: readonly (Algorithm | undefined)[] = [
  undefined,
  { name: 'SHA256_RSA2048', hash: 'sha256', keyBits: 2048 },
  { name: 'SHA256_RSA4096', hash: 'sha256', keyBits: 4096 },
  { name: 'SHA256_RSA8192', hash: 'sha256', keyBits: 8192 },
  { name: 'SHA512_RSA2048', hash: 'sha512', keyBits: 2048 },
  { name: 'SHA512_RSA4096', hash: 'sha512', keyBits: 4096 },
  { name: 'SHA512_RSA8192', hash: 'sha512', keyBits: 8192 },
];

/** Bits of the header's flags: verification of hashtrees, or all verification, is switched off. */
export const vbmetaFlags = { hashtreeDisabled: 1, verificationDisabled: 2 } as const;
