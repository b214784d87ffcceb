export { quernProgram, quernProgramHeader, type QuernProgram } from './early-loader.ts';
export { activeSlot, bootControlOf, bootableSlot, isUnbootable, keepsSlots, type Slot } from './slots.ts';
export { forecastStart, isWell, type Forecast, type SystemFacts } from './forecast.ts';
export { chainFault, rollbackIndexes, signingKey } from './verify-chain.ts';
export { BootFailure } from './failure.ts';
export { packagesPath, sdkOfPackages, userDataFault } from './user-data.ts';
export {
  loadKernel,
  openFs,
  runEarlyLoader,
  startingSlot,
  verifiedBoot,
  walkToSystem,
  type LoadedKernel,
} from './walk.ts';
export type { BootFlash, BootRules } from './boot-flash.ts';
