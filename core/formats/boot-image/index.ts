export { readBootImage, type BootImage, type BootPart } from './read.ts';
export { bootImageIdParts, writeBootImage, type BootImagePlan } from './write.ts';
export { packOsVersion, unpackOsVersion, type OsVersion } from './os-version.ts';
export { readVendorBoot, vendorBootMagic, type VendorBoot } from './vendor.ts';
