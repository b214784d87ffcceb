export { readBootImage, type BootImage, type BootPart } from './boot-image-reader.ts';
export {
  bootImageIdParts,
  writeBootImage,
  writeModernBootImage,
  type BootImagePlan,
  type ModernBootImagePlan,
} from './boot-image-writer.ts';
export { packOsVersion, unpackOsVersion, type OsVersion } from './os-version.ts';
export { writeVendorBoot, type VendorBootPlan } from './vendor-boot-writer.ts';
export { readVendorBoot, vendorBootMagic, type VendorBoot } from './vendor-boot-reader.ts';
