import { joinBytes, padBytes } from '../../bytes/join.ts';
import { utf8 } from '../../bytes/text.ts';
import { vendorBootMagic, vendorHeader, vendorRamdisk, vendorVersionFour } from './vendor-boot-reader.ts';

/** A vendor boot image of version 4 with one platform ramdisk. */
export interface VendorBootPlan {
  readonly ramdisk: Uint8Array;
  readonly dtb: Uint8Array;
  readonly name: string;
  readonly commandLine: string;
  readonly bootconfig: string;
}

const pageBytes = 4096;
const platform = 1;
/** Load addresses of the usual base 0x10000000 (AOSP mkbootimg's defaults). */
const addresses = { kernel: 0x10008000, ramdisk: 0x11000000, tags: 0x10000100, dtb: 0x11f00000n };

/** Writes a vendor boot image, version 4 (AOSP mkbootimg, bootimg.h). */
export function writeVendorBoot(plan: VendorBootPlan): Uint8Array {
  const bootconfig = utf8(plan.bootconfig);
  const header = new Uint8Array(pageBytes);
  vendorHeader.write(header, 0, {
    magic: vendorBootMagic,
    headerVersion: 4,
    pageBytes,
    kernelAddress: addresses.kernel,
    ramdiskAddress: addresses.ramdisk,
    ramdiskBytes: plan.ramdisk.length,
    commandLine: plan.commandLine,
    tagsAddress: addresses.tags,
    name: plan.name,
    headerBytes: vendorHeader.bytes + vendorVersionFour.bytes,
    dtbBytes: plan.dtb.length,
    dtbAddress: addresses.dtb,
  });
  vendorVersionFour.write(header, vendorHeader.bytes, {
    tableBytes: vendorRamdisk.bytes,
    tableEntries: 1,
    tableEntryBytes: vendorRamdisk.bytes,
    bootconfigBytes: bootconfig.length,
  });
  const table = new Uint8Array(vendorRamdisk.bytes);
  vendorRamdisk.write(table, 0, {
    bytes: plan.ramdisk.length,
    offset: 0,
    type: platform,
    name: '',
    boardId: Array.from({ length: 16 }, () => 0),
  });
  return joinBytes([
    header,
    ...[plan.ramdisk, plan.dtb, table, bootconfig].map((part) => padBytes(part, pageBytes)),
  ]);
}
