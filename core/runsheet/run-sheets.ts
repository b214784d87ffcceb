export * from './check.ts';
export { isAbleTo, partsOf, type AppDoing, type WhatOfApp } from './apps/able.ts';
export { actionWords, changingSheet } from './apps/changing.ts';
export type { ThroughWhat } from './apps/facts.ts';
export { comesByBackup, copyingSheet, pickedApps, roomForCopies, type PickedApp } from './apps/copying.ts';
export type {
  AppSurroundings,
  CopyingFacts,
  PickedCopy,
  PickedParts,
  PuttingAppsFacts,
} from './apps/facts.ts';
export { importingAppsSheet, type ImportingAppsFacts, type WantedCopy } from './apps/importing.ts';
export { waitingSheet, type WaitingFacts, type WaitingProgram } from './apps/waiting.ts';
export { leftoversSheet, type LeftoversFacts } from './apps/leftovers.ts';
export {
  movingSheet,
  movingVerdicts,
  type MovingFacts,
  type MovingSheet,
  type Verdict,
} from './apps/moving.ts';
export {
  folderText,
  foldersOfApps,
  onTopWays,
  puttingSharedSheet,
  type OnTop,
  type PuttingSharedFacts,
  type SharedFolder,
} from './shared.ts';
export { puttingAppsSheet } from './apps/putting-back.ts';
export {
  isHanded,
  keepingRecordsSheet,
  puttingRecordsSheet,
  recordsStop,
  type RecordsThere,
} from './records.ts';
export {
  canReadUsedOnly,
  imagingSheet,
  mayBeKeptAlready,
  mayBeUnchanged,
  type ImagingFacts,
} from './imaging.ts';
export { importingSheet, type ImportingFacts, type ImportingImage } from './importing.ts';
export { lockingSheet, type LockingFacts } from './locking.ts';
export { imagingPurposes, lastPick, purposesOf, type Purpose } from './purposes.ts';
export { bundlesOf, type Bundle } from './restoring/bundles.ts';
export {
  restoringSheet,
  type RestoringFacts,
  type RestoringImage,
  type SetFacts,
} from './restoring/restoring-sheet.ts';
export { expectedBytesPerSecond, usualBytesPerSecond, type PastTransfer } from './estimate.ts';
export { imagingBattery, safePercent } from './battery.ts';
