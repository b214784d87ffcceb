import { FormatError } from '../bytes/format-error.ts';
import { BootFailure } from './failure.ts';
import { sdkOfUserData, userDataFault } from './user-data.ts';
import { startingSlot, openSystem, walkToSystem } from './walk.ts';
import type { BootFlash, BootRules } from './boot-flash.ts';

/** What a system says of itself. */
export interface SystemFacts {
  /** Android version, `9`. */
  readonly release: string;
  /** `YYYY-MM-DD` */
  readonly patch: string | undefined;
  readonly build: string | undefined;
  readonly maker: string | undefined;
  readonly model: string | undefined;
}

/** What a phone is expected to do with the bytes it has, or would have after a plan. */
export interface Forecast {
  /**
   * `dead`: nothing answers but the processor's own loader. `refused`: its bootloader goes no further.
   * `loops`: it restarts again and again. `warns`: it starts behind the warning of an unlocked bootloader.
   */
  readonly result: 'starts' | 'warns' | 'refused' | 'loops' | 'dead';
  /** Why, in words. */
  readonly reason: string;
  /** The system that is there, whether or not it comes to run. */
  readonly system?: SystemFacts | undefined;
}

export const isWell = ({ result }: Forecast): boolean => result === 'starts' || result === 'warns';

const resultOf = { 'early-loader': 'dead', bootloader: 'refused', init: 'loops' } as const;

/** Judges a start from real bytes, by the very walk that a simulated phone takes. */
export async function forecastStart(flash: BootFlash, rules: BootRules): Promise<Forecast> {
  try {
    const { properties, chainFault, slot } = await walkToSystem(flash, rules);
    const dataFault = userDataFault(await sdkOfUserData(await flash.partition('userdata')), properties);
    if (dataFault) return { result: 'loops', reason: dataFault, system: factsOf(properties) };
    const build = properties['ro.build.display.id'] ?? properties['ro.build.version.release'] ?? 'its system';
    const from = slot ? ` from slot ${slot}` : '';
    const system = factsOf(properties);
    return chainFault
      ? {
          result: 'warns',
          reason: `${build}${from}; the unlocked bootloader ignores it ${chainFault}`,
          system,
        }
      : { result: 'starts', reason: `${build}${from}; kernel and system are of one build`, system };
  } catch (error) {
    const system = await systemThere(flash, rules);
    if (error instanceof BootFailure) return { result: resultOf[error.stage], reason: error.message, system };
    if (error instanceof FormatError) return { result: 'loops', reason: error.message, system };
    throw error;
  }
}

/** The system of the slot that would start, as far as it can be read. */
async function systemThere(flash: BootFlash, rules: BootRules): Promise<SystemFacts | undefined> {
  try {
    const slot = await startingSlot(flash, rules);
    return factsOf((await openSystem(flash, slot ? `_${slot}` : '')).properties);
  } catch (error) {
    if (error instanceof BootFailure || error instanceof FormatError) return undefined;
    throw error;
  }
}

const factsOf = (properties: Readonly<Record<string, string>>): SystemFacts | undefined => {
  const release = properties['ro.build.version.release'];
  return release
    ? {
        release,
        patch: properties['ro.build.version.security_patch'],
        build: properties['ro.build.display.id'],
        maker: properties['ro.product.manufacturer'],
        model: properties['ro.product.model'],
      }
    : undefined;
};
