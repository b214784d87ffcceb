import type { Battery } from '../phone/facts.ts';
import type { Check } from './check.ts';

/** Below this nothing is written to a phone that is not charging (common practice, no published source). */
export const safePercent = 60;
/** Below this a phone may go off in the middle of reading. */
const criticalPercent = 15;

/** What a phone at work takes of its battery in an hour, in percent (from memory). */
const percentAnHour = 12;

/** What a run of some length takes of the battery when nothing charges it, in percent, rounded up. */
export const batteryFor = (ms: number): number => Math.ceil((ms / 3_600_000) * percentAnHour);

/** @param needed what the run is expected to take, in percent */
export function imagingBattery(battery: Battery | undefined, needed = 0): Check[] {
  if (!battery) return [unknown];
  const { percent, charging } = battery;
  if (percent < criticalPercent && !charging) {
    return [found('stop', battery, 'It may go off in the middle of the run. Charge it first.')];
  }
  if (percent - needed < criticalPercent && !charging) {
    return [
      found('confirm', battery, `The run takes about ${needed} %: it may go off before the end. Charge it.`),
    ];
  }
  if (percent < safePercent && !charging) {
    return [found('confirm', battery, `Below ${safePercent} % and not charging: a long run may not end.`)];
  }
  return [found('good', battery, charging ? 'Charging.' : `The run takes about ${needed} %.`)];
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
