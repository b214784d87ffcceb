import type { PhoneFacts } from '../../phone/facts.ts';
import { bySeverity, listText, stop, type Check, type RunSheet, type Step } from '../check.ts';
import { inSystem, msForEachApp } from './common.ts';

/** A program that an archive left on a phone, since recovery cannot install it. */
export interface WaitingProgram {
  readonly package: string;
  /** Full paths of its APKs, with their sizes. */
  readonly apks: readonly { readonly path: string; readonly bytes: number }[];
}

export interface WaitingFacts {
  readonly phone: PhoneFacts;
  readonly waiting: readonly WaitingProgram[];
  /** Packages. */
  readonly picked: readonly string[];
}

/** The plan of installing what waits on the phone: nothing goes over the cable, and it needs no root. */
export function waitingSheet({ phone, waiting, picked }: WaitingFacts): RunSheet {
  const some = waiting.filter((each) => picked.includes(each.package));
  const gone = picked.filter((name) => !some.some((each) => each.package === name));
  const checks: Check[] = [
    ...inSystem({ phone }),
    ...(picked.length === 0
      ? stop('nothing-picked', 'Nothing is picked', 'Pick programs that wait on the phone.')
      : []),
    ...(gone.length > 0
      ? stop(
          'not-waiting',
          'Not waiting any more',
          `${listText(gone)}: it is installed, or gone. Look again.`,
        )
      : []),
    {
      id: 'data-comes-after',
      severity: 'note',
      title: 'Programs alone',
      sentence: 'Their data is in the archive: install it once more in recovery afterwards.',
    },
  ];
  return {
    steps: some.map((each): Step => ({
      kind: 'install',
      text: `Install ${each.package}`,
      app: each.package,
      bytes: 0,
    })),
    bytes: 0,
    bytesPerSecond: 1,
    expectedMs: some.length * msForEachApp,
    batteryPercent: 0,
    checks: bySeverity(checks),
  };
}
