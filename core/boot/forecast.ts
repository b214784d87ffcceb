import { FormatError } from '../bytes/format-error.ts';
import { BootFailure, walkToSystem, type BootFlash, type BootRules } from './walk.ts';

/** What a phone is expected to do with the bytes it has, or would have after a plan. */
export interface Forecast {
  /**
   * `refused`: its bootloader goes no further. `loops`: it restarts again and again.
   * `warns`: it starts behind the warning of an unlocked bootloader.
   */
  readonly result: 'starts' | 'warns' | 'refused' | 'loops';
  /** Why, in words. */
  readonly reason: string;
}

/** Judges a start from real bytes, by the very walk that a simulated phone takes. */
export async function forecastStart(flash: BootFlash, rules: BootRules): Promise<Forecast> {
  try {
    const { properties, chainFault, slot } = await walkToSystem(flash, rules);
    const build = properties['ro.build.display.id'] ?? properties['ro.build.version.release'] ?? 'its system';
    const from = slot ? ` from slot ${slot}` : '';
    return chainFault
      ? { result: 'warns', reason: `${build}${from}; the unlocked bootloader passes over that ${chainFault}` }
      : { result: 'starts', reason: `${build}${from}; kernel and system are of one build` };
  } catch (error) {
    if (error instanceof BootFailure) {
      return { result: error.stage === 'bootloader' ? 'refused' : 'loops', reason: error.message };
    }
    if (error instanceof FormatError) return { result: 'loops', reason: error.message };
    throw error;
  }
}
