import { createHash } from 'node:crypto';
import { gzipSync } from 'node:zlib';
import { bootImageIdParts, writeBootImage } from '@keen-larder/core/formats/boot-image/index.ts';
import { writeCpio } from '@keen-larder/core/formats/cpio/index.ts';
import { filler } from './filler.ts';

/** What a boot image of the simulated firmware is made for. */
export interface BootBuild {
  readonly kind: 'boot' | 'recovery';
  /** Android version as the header packs it, e.g. `9.0.0`. */
  readonly version: string;
  /** `YYYY-MM` */
  readonly patchLevel: string;
  readonly build: string;
  readonly seed: number;
}

const kernelBytes = { boot: 8_600_000, recovery: 8_600_000 };
const file = 0o100644;

const properties = ({ kind, version, patchLevel, build }: BootBuild) =>
  [
    'ro.secure=1',
    `ro.debuggable=${kind === 'recovery' ? 1 : 0}`,
    'ro.product.manufacturer=Tidewell',
    'ro.product.model=Knot 3',
    'ro.product.device=knot3',
    'ro.product.name=knot3',
    'ro.product.cpu.abilist=arm64-v8a,armeabi-v7a,armeabi',
    `ro.bootimage.build.id=${build}`,
    `ro.build.version.release=${version.split('.')[0]}`,
    `ro.build.version.security_patch=${patchLevel}-05`,
    '',
  ].join('\n');

/** A boot image of header version 1: gzipped kernel, gzipped ramdisk with init and properties. */
export function makeBootImage(build: BootBuild): Uint8Array {
  const text = (content: string) => new TextEncoder().encode(content);
  const entries = [
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
  ];
  const kernel = gzipSync(filler('program', build.seed, kernelBytes[build.kind]), { level: 1 });
  const ramdisk = gzipSync(writeCpio(entries), { level: 1 });
  const id = createHash('sha1');
  for (const part of bootImageIdParts(kernel, ramdisk)) id.update(part);
  const digest = id.digest();
  return writeBootImage({
    kernel,
    ramdisk,
    commandLine: 'console=ttyQ0,115200 androidboot.hardware=quern loop.max_part=7',
    os: { version: build.version, patchLevel: build.patchLevel },
    pageBytes: 2048,
    id: [0, 4, 8, 12, 16].map((at) => digest.readUInt32LE(at)),
  });
}

/** The kernels that ship with each system build; same seed, same bytes. */
export const stockBoot = {
  'system-january': {
    kind: 'boot',
    version: '9.0.0',
    patchLevel: '2026-01',
    build: 'TW3.260105.002',
    seed: 301,
  },
  'system-march': {
    kind: 'boot',
    version: '9.0.0',
    patchLevel: '2026-03',
    build: 'TW3.260301.004',
    seed: 311,
  },
} as const satisfies Record<string, BootBuild>;

export const communityRecovery: BootBuild = {
  kind: 'recovery',
  version: '9.0.0',
  patchLevel: '2026-03',
  build: 'openmarsh-recovery-3',
  seed: 321,
};
