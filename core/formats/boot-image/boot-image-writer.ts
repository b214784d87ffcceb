import { joinBytes, padBytes } from '../../bytes/join.ts';
import {
  bootMagic,
  legacyHeader,
  modernHeader,
  modernPageBytes,
  versionFourFields,
  versionOneFields,
} from './layouts.ts';
import { packOsVersion, type OsVersion } from './os-version.ts';

export interface BootImagePlan {
  readonly kernel: Uint8Array;
  readonly ramdisk: Uint8Array;
  readonly commandLine: string;
  readonly os: OsVersion;
  readonly pageBytes: number;
  /** The five words of SHA-1 over the parts (see `bootImageIdParts`); zero when not wanted. */
  readonly id?: readonly number[];
}

/** Load addresses of the usual base 0x10000000 (AOSP mkbootimg's defaults). */
const addresses = { kernel: 0x10008000, ramdisk: 0x11000000, tags: 0x10000100 };

/**
 * What SHA-1 runs over to give the `id` of a version 1 image: each part followed by its size in
 * 32 bits, absent parts as size 0 (AOSP mkbootimg, `write_header`).
 */
export function bootImageIdParts(kernel: Uint8Array, ramdisk: Uint8Array): Uint8Array[] {
  const size = (bytes: number) => {
    const word = new Uint8Array(4);
    new DataView(word.buffer).setUint32(0, bytes, true);
    return word;
  };
  const none = size(0);
  return [kernel, size(kernel.length), ramdisk, size(ramdisk.length), none, none];
}

/** A boot image of header version 1 with a kernel and a ramdisk. */
export function writeBootImage(plan: BootImagePlan): Uint8Array {
  const { kernel, ramdisk, pageBytes } = plan;
  const padded = (bytes: number) => Math.ceil(bytes / pageBytes) * pageBytes;
  const image = new Uint8Array(pageBytes + padded(kernel.length) + padded(ramdisk.length));
  legacyHeader.write(image, 0, {
    magic: bootMagic,
    kernelBytes: kernel.length,
    kernelAddress: addresses.kernel,
    ramdiskBytes: ramdisk.length,
    ramdiskAddress: addresses.ramdisk,
    secondBytes: 0,
    secondAddress: 0,
    tagsAddress: addresses.tags,
    pageBytes,
    headerVersion: 1,
    osVersion: packOsVersion(plan.os),
    name: '',
    commandLine: plan.commandLine,
    id: [...(plan.id ?? []), 0, 0, 0, 0, 0, 0, 0, 0].slice(0, 8),
    extraCommandLine: '',
  });
  versionOneFields.write(image, legacyHeader.bytes, {
    recoveryDtboBytes: 0,
    recoveryDtboOffset: 0n,
    headerBytes: legacyHeader.bytes + versionOneFields.bytes,
  });
  image.set(kernel, pageBytes);
  image.set(ramdisk, pageBytes + padded(kernel.length));
  return image;
}

/** A boot image of header version 3 or 4: `init_boot` has no kernel, `boot` beside it no ramdisk. */
export interface ModernBootImagePlan {
  readonly headerVersion: 3 | 4;
  readonly kernel?: Uint8Array;
  readonly ramdisk?: Uint8Array;
  readonly commandLine: string;
  readonly os: OsVersion;
}

/** A boot image as Android 11 (version 3) and 12 on (version 4) have it (AOSP mkbootimg, bootimg.h). */
export function writeModernBootImage(plan: ModernBootImagePlan): Uint8Array {
  const { headerVersion, kernel = new Uint8Array(), ramdisk = new Uint8Array() } = plan;
  const isFour = headerVersion === 4;
  const headerBytes = modernHeader.bytes + (isFour ? versionFourFields.bytes : 0);
  const header = new Uint8Array(modernPageBytes);
  modernHeader.write(header, 0, {
    magic: bootMagic,
    kernelBytes: kernel.length,
    ramdiskBytes: ramdisk.length,
    osVersion: packOsVersion(plan.os),
    headerBytes,
    reserved: new Uint8Array(16),
    headerVersion,
    commandLine: plan.commandLine,
  });
  if (isFour) versionFourFields.write(header, modernHeader.bytes, { signatureBytes: 0 });
  return joinBytes([header, padBytes(kernel, modernPageBytes), padBytes(ramdisk, modernPageBytes)]);
}
