export { activeSlot, bootControlOf, type Slot } from './slots.ts';
export { forecastStart, type Forecast } from './forecast.ts';
export { chainFault, signingKey } from './verify-chain.ts';
export {
  BootFailure,
  loadKernel,
  openFs,
  startingSlot,
  walkToSystem,
  type BootFlash,
  type BootRules,
  type LoadedKernel,
} from './walk.ts';
