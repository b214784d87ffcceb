import { ascii, layout, raw, u32, u64, words } from '../../bytes/layout.ts';

/** "ANDROID!" */
export const bootMagic = 'ANDROID!';

/** Versions 0 to 2, fields common to all (AOSP system/tools/mkbootimg, bootimg.h). */
export const legacyHeader = layout('boot-image', {
  magic: ascii(8),
  kernelBytes: u32,
  kernelAddress: u32,
  ramdiskBytes: u32,
  ramdiskAddress: u32,
  secondBytes: u32,
  secondAddress: u32,
  tagsAddress: u32,
  pageBytes: u32,
  headerVersion: u32,
  osVersion: u32,
  name: ascii(16),
  commandLine: ascii(512),
  id: words(8), // SHA-1 over the parts and their sizes, zero padded
  extraCommandLine: ascii(1024),
});

/** What version 1 adds behind `legacyHeader`. */
export const versionOneFields = layout('boot-image', {
  recoveryDtboBytes: u32,
  recoveryDtboOffset: u64,
  headerBytes: u32,
});

/** What version 2 adds behind version 1. */
export const versionTwoFields = layout('boot-image', {
  dtbBytes: u32,
  dtbAddress: u64,
});

/** Versions 3 and 4 (Android 11 and 12 on): fixed pages of 4096 bytes. */
export const modernHeader = layout('boot-image', {
  magic: ascii(8),
  kernelBytes: u32,
  ramdiskBytes: u32,
  osVersion: u32,
  headerBytes: u32,
  reserved: raw(16),
  headerVersion: u32,
  commandLine: ascii(1536),
});

/** What version 4 adds behind `modernHeader`. */
export const versionFourFields = layout('boot-image', {
  signatureBytes: u32,
});

/** `headerVersion` stands at the same offset in every version. */
export const headerVersionOffset = legacyHeader.offsetOf('headerVersion');
export const modernPageBytes = 4096;
