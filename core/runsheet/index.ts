export * from './check.ts';
export { canReadUsedOnly, imagingSheet, mayBeUnchanged, type ImagingFacts } from './imaging.ts';
export { importingSheet, type ImportingFacts, type ImportingImage } from './importing.ts';
export { lockingSheet, type LockingFacts } from './locking.ts';
export { purposesOf, type Purpose } from './purposes.ts';
export {
  restoringSheet,
  type RestoringFacts,
  type RestoringImage,
  type SetFacts,
} from './restoring/index.ts';
export { expectedBytesPerSecond, usualBytesPerSecond, type PastTransfer } from './estimate.ts';
export { safePercent } from './battery.ts';
