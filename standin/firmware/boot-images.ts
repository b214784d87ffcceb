import { createHash } from 'node:crypto';
import { gzipSync } from 'node:zlib';
import {
  bootImageIdParts,
  writeBootImage,
  writeModernBootImage,
  writeVendorBoot,
} from '@keen-larder/core/formats/boot-image/boot-image.ts';
import { writeCpio } from '@keen-larder/core/formats/cpio/cpio.ts';
import { knot3, type FirmwareBuild, type Product } from './builds.ts';
import { filler } from './filler.ts';

/** What a boot image of the simulated firmware is made for. */
export interface BootBuild {
  readonly kind: 'boot' | 'recovery';
  readonly product: Product;
  /** Android version as the header packs it, e.g. `9.0.0`. */
  readonly version: string;
  /** `YYYY-MM` */
  readonly patchLevel: string;
  readonly build: string;
  readonly seed: number;
}

const kernelBytes = 8_600_000;
const file = 0o100644;

const properties = ({ kind, product, version, patchLevel, build }: BootBuild) =>
  [
    'ro.secure=1',
    `ro.debuggable=${kind === 'recovery' ? 1 : 0}`,
    `ro.product.manufacturer=${product.maker}`,
    `ro.product.model=${product.model}`,
    `ro.product.device=${product.device}`,
    `ro.product.name=${product.device}`,
    `ro.product.cpu.abilist=${product.abis}`,
    `ro.bootimage.build.id=${build}`,
    `ro.build.version.release=${version.split('.')[0]}`,
    `ro.build.version.security_patch=${patchLevel}-05`,
    '',
  ].join('\n');

const commandLine = 'console=ttyQ0,115200 androidboot.hardware=quern loop.max_part=7';

/** A boot image of header version 1: gzipped kernel, gzipped ramdisk with init and properties. */
export function makeBootImage(build: BootBuild): Uint8Array {
  const kernel = kernelOf(build);
  const ramdisk = ramdiskOf(build);
  const id = createHash('sha1');
  for (const part of bootImageIdParts(kernel, ramdisk)) id.update(part);
  const digest = id.digest();
  return writeBootImage({
    kernel,
    ramdisk,
    commandLine,
    os: { version: build.version, patchLevel: build.patchLevel },
    pageBytes: 2048,
    id: [0, 4, 8, 12, 16].map((at) => digest.readUInt32LE(at)),
  });
}

/** The parts of the boot chain as Android 13 on has them: kernel, generic ramdisk and vendor ramdisk apart. */
export function makeModernBoot(
  build: BootBuild,
): Readonly<Record<'boot' | 'init_boot' | 'vendor_boot', Uint8Array>> {
  const os = { version: build.version, patchLevel: build.patchLevel };
  const vendor = writeCpio([
    { path: 'lib/modules/quern.ko', mode: file, content: filler('program', build.seed + 3, 260_000) },
    {
      path: 'first_stage_ramdisk/fstab.quern',
      mode: file,
      content: Buffer.from('system /system ext4 ro wait,slotselect,avb,logical\n'),
    },
  ]);
  return {
    boot: writeModernBootImage({ headerVersion: 4, kernel: kernelOf(build), commandLine: '', os }),
    init_boot: writeModernBootImage({ headerVersion: 4, ramdisk: ramdiskOf(build), commandLine: '', os }),
    vendor_boot: writeVendorBoot({
      ramdisk: gzipSync(vendor, { level: 1 }),
      dtb: filler('program', build.seed + 4, 90_000),
      name: build.product.device,
      commandLine,
      bootconfig: 'androidboot.hardware=quern\nandroidboot.slot_count=2\n',
    }),
  };
}

/** By seed: phones of a model have the same. */
const kernels = new Map<number, Uint8Array>();

function kernelOf({ seed }: BootBuild): Uint8Array {
  const known = kernels.get(seed);
  if (known) return known;
  // Noise does not get smaller: it is packed as it is.
  const kernel = gzipSync(filler('program', seed, kernelBytes), { level: 0 });
  kernels.set(seed, kernel);
  return kernel;
}

function ramdiskOf(build: BootBuild): Uint8Array {
  const text = (content: string) => new TextEncoder().encode(content);
  return gzipSync(
    writeCpio([
      { path: 'init', mode: 0o100750, content: filler('program', build.seed + 1, 380_000) },
      { path: 'prop.default', mode: file, content: text(properties(build)) },
      {
        path: 'fstab.quern',
        mode: file,
        content: text('/dev/block/by-name/system /system ext4 ro,barrier=1 wait\n'),
      },
      ...(build.kind === 'recovery'
        ? [{ path: 'sbin/recovery', mode: 0o100750, content: filler('program', build.seed + 2, 2_900_000) }]
        : []),
    ]),
    { level: 1 },
  );
}

/** The kernel that ships with a build; same seed, same bytes. */
export const stockBoot = ({ product, release, patch, id, kernelSeed }: FirmwareBuild): BootBuild => ({
  kind: 'boot',
  product,
  version: `${release}.0.0`,
  patchLevel: patch.slice(0, 7),
  build: id,
  seed: kernelSeed,
});

/** A recovery of the community's, which gives root; the maker's own is made alike and gives none. */
export const recoveryFor = (product: Product, seed: number, build = 'openmarsh-recovery-3'): BootBuild => ({
  kind: 'recovery',
  product,
  version: '9.0.0',
  patchLevel: '2026-03',
  build,
  seed,
});

export const communityRecovery: BootBuild = recoveryFor(knot3, 321);
