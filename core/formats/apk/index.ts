export { appDuties, type AppDuty } from './manifest.ts';
export { readApk, readClasses, readIcon, type Apk } from './read.ts';
export { readZipDirectory } from './zip.ts';
export type { Signing } from './signing.ts';
export { writeApk, type ApkPlan, type ApkSigner } from './write.ts';
