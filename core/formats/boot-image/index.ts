export { readBootImage, type BootImage, type BootPart } from './read.ts';
export {
  bootImageIdParts,
  writeBootImage,
  writeModernBootImage,
  type BootImagePlan,
  type ModernBootImagePlan,
} from './write.ts';
export { packOsVersion, unpackOsVersion, type OsVersion } from './os-version.ts';
export { writeVendorBoot, type VendorBootPlan } from './vendor-write.ts';
export { readVendorBoot, vendorBootMagic, type VendorBoot } from './vendor.ts';
