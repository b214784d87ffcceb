export * from './check.ts';
export { imagingSheet, type ImagingFacts } from './imaging.ts';
export { restoringSheet, type RestoringFacts, type RestoringImage } from './restoring.ts';
export { expectedBytesPerSecond, usualBytesPerSecond, type PastTransfer } from './estimate.ts';
export { safePercent } from './battery.ts';
