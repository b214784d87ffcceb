import type { Battery } from '../phone/facts.ts';
import type { Check } from './check.ts';

/** Below this nothing is written to a phone that is not charging (common practice, no published source). */
export const safePercent = 60;
/** Below this a phone may go off in the middle of reading. */
const criticalPercent = 15;

export function imagingBattery(battery: Battery | undefined): Check[] {
  if (!battery) return [unknown];
  const { percent, charging } = battery;
  if (percent < criticalPercent && !charging) {
    return [found('stop', battery, 'It may go off in the middle of the run. Charge it first.')];
  }
  if (percent < safePercent && !charging) {
    return [found('confirm', battery, `Below ${safePercent} % and not charging: a long run may not end.`)];
  }
  return [found('good', battery, charging ? 'Charging.' : 'Enough for this run.')];
}

export function restoringBattery(battery: Battery | undefined): Check[] {
  if (!battery) return [{ ...unknown, severity: 'confirm' }];
  const { percent, charging } = battery;
  if (percent >= safePercent) return [found('good', battery, 'Enough for this run.')];
  return charging
    ? [found('confirm', battery, `Below ${safePercent} %, though charging: keep the cable in.`)]
    : [
        found(
          'stop',
          battery,
          `Below ${safePercent} % and not charging: a phone that goes off while it is written may not start again. Charge it first.`,
        ),
      ];
}

const found = (severity: Check['severity'], battery: Battery, sentence: string): Check => ({
  id: 'battery',
  severity,
  title: `Battery ${battery.percent} %`,
  sentence,
});

const unknown: Check = {
  id: 'battery',
  severity: 'note',
  title: 'Battery unknown',
  sentence: 'This mode does not say how full it is. Look at the phone.',
};
