export { appDuties, type AppDuty } from './manifest.ts';
export { readApk, readClasses, readIcon, type Apk } from './apk-reader.ts';
export { readZipDirectory } from './zip.ts';
export { readSigners, type Signing } from './signing.ts';
export { writeApk, type ApkPlan, type ApkSigner } from './writing/apk-writer.ts';
