import { isWell, type Forecast } from '../boot/boot.ts';
import type { PhoneFacts } from '../phone/facts.ts';
import { restoringBattery } from './battery.ts';
import { bySeverity, stop, type Check, type RunSheet, type Step } from './check.ts';

/** Everything the sheet of locking or unlocking a bootloader is computed from. */
export interface LockingFacts {
  readonly phone: PhoneFacts;
  /** Locked, or unlocked. */
  readonly lock: boolean;
  /** When the phone's present user data was last kept, in words; undefined when never. */
  readonly userDataKept: string | undefined;
  /** How it would start when it is locked; undefined where its bytes cannot be read. */
  readonly lockedForecast: Forecast | undefined;
  /** Whether what signs its boot chain is the maker's key; undefined where there is no such metadata or nobody knows. */
  readonly isMakersKey: boolean | undefined;
}

type LockingCheck = (facts: LockingFacts) => Check[];

/** The plan of locking or unlocking: by the bootloader, agreed to on the phone's screen, watched to its start. */
export function lockingSheet(facts: LockingFacts): RunSheet {
  const { lock, phone } = facts;
  const word = lock ? 'lock' : 'unlock';
  const steps: Step[] = [
    ...(phone.mode === 'bootloader'
      ? []
      : [{ kind: 'restart', text: 'Restart into bootloader', into: 'bootloader', bytes: 0 } as const]),
    {
      kind: word,
      text: `${lock ? 'Lock' : 'Unlock'} the bootloader, once somebody agrees on the phone’s screen`,
      bytes: 0,
    },
    { kind: 'restart', text: 'Restart into system', into: 'system', bytes: 0 },
    { kind: 'watch', text: 'Watch the phone start', bytes: 0 },
  ];
  return {
    steps,
    bytes: 0,
    bytesPerSecond: 1,
    expectedMs: 0,
    batteryPercent: 0,
    checks: bySeverity(checks.flatMap((check) => check(facts))),
  };
}

/** The command is the bootloader's, which other modes can send the phone into; loader mode cannot. */
const wayThere: LockingCheck = ({ phone }) =>
  phone.mode === 'loader'
    ? stop(
        'mode-cannot-write',
        'Loader mode does not lock or unlock',
        'Restart into system, or hold the keys for the bootloader.',
        { do: 'restart', into: 'system' },
      )
    : [];

const lockedAlready: LockingCheck = ({ phone, lock }) =>
  phone.condition.bootloaderUnlocked === !lock
    ? stop(
        'locked-already',
        `The bootloader is ${lock ? 'locked' : 'unlocked'} already`,
        'There is nothing to do.',
      )
    : [];

/** Stops on locking a phone whose boot chain its maker did not sign: locked, it would never start again. */
const reLock: LockingCheck = ({ lock, phone, lockedForecast, isMakersKey }) => {
  if (!lock || phone.condition.bootloaderUnlocked === false) return [];
  const id = 're-lock';
  if (!lockedForecast) {
    return stop(
      id,
      'Its boot chain cannot be checked in this mode',
      'Locked, a phone starts nothing that its maker did not sign. In recovery its bytes can be read and checked.',
      { do: 'restart', into: 'recovery' },
    );
  }
  if (lockedForecast.result !== 'starts') {
    return stop(
      id,
      'Locked, it would not start',
      `${lockedForecast.reason}. Put the maker’s own boot chain back first.`,
    );
  }
  if (!isMakersKey) {
    return stop(
      id,
      isMakersKey === undefined
        ? 'Nothing says that the maker signed it'
        : 'Another key than the maker’s signed it',
      'Every part of the boot chain must verify against the maker’s key, or the locked phone never starts again.',
    );
  }
  return [
    {
      id,
      severity: 'good',
      title: 'The boot chain verifies',
      sentence: `Every part of it is signed with the maker’s key: ${lockedForecast.reason}.`,
    },
  ];
};

const wipes: LockingCheck = ({ userDataKept, lock }) => [
  {
    id: 'will-wipe',
    severity: 'confirm',
    title: 'User data is wiped',
    sentence: `The bootloader wipes all user data when it is ${lock ? 'locked' : 'unlocked'}, and the key of what was encrypted with it: a block image of encrypted user data never opens again. ${
      userDataKept ? `It was last kept ${userDataKept}.` : 'It was never kept.'
    }`,
  },
];

const firstStart: LockingCheck = () => [
  {
    id: 'first-start',
    severity: 'note',
    title: 'The first start takes long',
    sentence: 'Expect 15–20 minutes on a real phone. Leave the cable in.',
  },
];

const startsNow: LockingCheck = ({ lock, lockedForecast }) =>
  !lock && lockedForecast && !isWell(lockedForecast)
    ? [
        {
          id: 'boot-forecast',
          severity: 'note',
          title: 'Locked, it does not start as it is',
          sentence: `${lockedForecast.reason}. Unlocked, its bootloader ignores what is not signed.`,
        },
      ]
    : [];

const checks: readonly LockingCheck[] = [
  wayThere,
  lockedAlready,
  reLock,
  ({ phone }) => restoringBattery(phone.battery),
  wipes,
  startsNow,
  firstStart,
];
