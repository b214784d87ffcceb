import type { Condition } from '../phone/facts.ts';

/** A phone is due when it was not kept for so many days; one about a week is common practice, no published source. */
export const usualDueDays = 7;
export const mostDueDays = 365;

const day = 24 * 60 * 60 * 1000;

export interface DueFacts {
  /** When the newest set was taken from it; undefined for never. */
  readonly keptAt: number | undefined;
  /** As it was then. */
  readonly kept: Pick<Condition, 'build' | 'fingerprint'> | undefined;
  /** As it is now, where that is known. */
  readonly now: Pick<Condition, 'build' | 'fingerprint'> | undefined;
}

/** Why a phone should be kept again, in a few words; undefined where it need not. @param at milliseconds since 1970 */
export function whyDue({ keptAt, kept, now }: DueFacts, days: number, at: number): string | undefined {
  if (keptAt === undefined) return undefined;
  const isOther = (field: 'build' | 'fingerprint') =>
    kept?.[field] !== undefined && now?.[field] !== undefined && kept[field] !== now[field];
  if (isOther('fingerprint') || isOther('build')) return 'its firmware changed since';
  const passed = Math.floor((at - keptAt) / day);
  return passed >= days ? `kept ${passed} days ago` : undefined;
}
