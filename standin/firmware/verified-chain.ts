import { createPrivateKey, createPublicKey, sign } from 'node:crypto';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import {
  encodePublicKey,
  writeVbmeta,
  type VbmetaSigner,
} from '@keen-larder/core/formats/verified-boot/verified-boot.ts';
import { makeModernBoot, stockBoot } from './boot-images.ts';
import type { FirmwareBuild } from './builds.ts';
import { filler } from './filler.ts';

/** The maker's keys are as invented as the maker. */
export type MakerKey = 'tidewell' | 'tidewell-system' | 'marram';

export function makerSigner(name: MakerKey): VbmetaSigner {
  const key = createPrivateKey(readFileSync(join(import.meta.dirname, 'keys', `${name}.pem`)));
  const { n } = createPublicKey(key).export({ format: 'jwk' });
  return {
    publicKey: encodePublicKey(Buffer.from(n!, 'base64url')),
    sign: (bytes) => sign('sha256', bytes, key),
  };
}

interface ChainKeys {
  readonly boot: MakerKey;
  readonly system: MakerKey;
}

/** What each maker signs a boot chain with. */
const keysOf: Readonly<Record<string, ChainKeys>> & { readonly Tidewell: ChainKeys } = {
  Tidewell: { boot: 'tidewell', system: 'tidewell-system' },
  Marram: { boot: 'marram', system: 'marram' },
};

const usualRollbackIndex = 1_788_566_400n;
const salt = (part: number) => filler('program', 8800 + part, 32);

/** A build's verified boot chain: every image, and the metadata that signs for them. */
export function makeVerifiedChain(
  build: FirmwareBuild,
  rollbackIndex = usualRollbackIndex,
): Readonly<Record<'boot' | 'init_boot' | 'vendor_boot' | 'dtbo' | 'vbmeta' | 'vbmeta_system', Uint8Array>> {
  const images = {
    ...makeModernBoot(stockBoot(build)),
    dtbo: filler('program', build.kernelSeed + 5, 180_000),
  };
  const keys = keysOf[build.product.maker] ?? keysOf.Tidewell;
  const system = makerSigner(keys.system);
  const vbmetaSystem = writeVbmeta(
    [
      { kind: 'property', key: 'com.android.build.system.fingerprint', value: build.id },
      { kind: 'property', key: 'com.android.build.system.security_patch', value: build.patch },
    ],
    rollbackIndex,
    system,
  );
  const vbmeta = writeVbmeta(
    [
      { kind: 'property', key: 'com.android.build.boot.os_version', value: build.release },
      ...Object.entries(images).map(
        ([partition, image], i) => ({ kind: 'hash', partition, image, salt: salt(i) }) as const,
      ),
      { kind: 'chain', partition: 'vbmeta_system', rollbackIndexLocation: 1, publicKey: system.publicKey },
    ],
    rollbackIndex,
    makerSigner(keys.boot),
  );
  return { ...images, vbmeta, vbmeta_system: vbmetaSystem };
}

/** Metadata of a phone without slots: it signs for whole boot images. */
export const makeSigningMetadata = (
  build: FirmwareBuild,
  images: Readonly<Record<string, Uint8Array>>,
  key: MakerKey,
): Uint8Array =>
  writeVbmeta(
    [
      { kind: 'property', key: 'com.android.build.boot.os_version', value: build.release },
      ...Object.entries(images).map(
        ([partition, image], i) => ({ kind: 'hash', partition, image, salt: salt(20 + i) }) as const,
      ),
    ],
    BigInt(build.date),
    makerSigner(key),
  );
