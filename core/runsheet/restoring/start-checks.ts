import { isWell, type Forecast } from '../../boot/boot.ts';
import { durationText, sizeText } from '../../bytes/units.ts';
import { splitSlot } from '../../phone/roles.ts';
import { listText, stop, type Check } from '../check.ts';
import type { RestoringCheck, RestoringImage } from './facts.ts';
import { targets } from './image-checks.ts';
import { provesLater } from './steps.ts';

const startWords: Readonly<Record<Forecast['result'], string>> = {
  starts: 'starts',
  warns: 'starts behind a warning',
  refused: 'is refused by its bootloader',
  loops: 'restarts over and over',
  dead: 'answers to nothing but loader mode',
};

/** Says how the phone will start, judged from the bytes that the plan leaves on it. */
export const bootForecast: RestoringCheck = ({ forecast }) => {
  if (!forecast) return [];
  const { now, after } = forecast;
  const before = isWell(now) === isWell(after) ? '' : ` As it is now, it ${startWords[now.result]}.`;
  const isWorse =
    (isWell(now) && after.result === 'refused') || (after.result === 'dead' && now.result !== 'dead');
  return [
    {
      id: 'boot-forecast',
      severity: isWell(after) ? 'good' : isWorse ? 'stop' : 'confirm',
      title: isWell(after)
        ? `It ${startWords[after.result]} afterwards`
        : `It will not start: it ${startWords[after.result]}`,
      sentence: `From the bytes that will lie on it: ${after.reason}.${before}`,
    },
  ];
};

/** Says why the phone goes through recovery. */
export const provedLater: RestoringCheck = ({ phone, images }) =>
  provesLater(phone.mode) && images.length > 0
    ? [
        {
          id: 'proved-later',
          severity: 'note',
          title: 'Proved in recovery',
          sentence:
            'A bootloader reads nothing out. The run goes on into recovery, where the phone digests what it was given.',
        },
      ]
    : [];

/** Stops on verified-boot metadata that a locked phone takes for older than what it has seen. */
export const rollbackIndex: RestoringCheck = ({ phone, rollback = [] }) => {
  const lower = rollback.filter(({ now, after }) => after < now);
  if (lower.length === 0) return [];
  const [{ location, now, after }] = lower as [(typeof lower)[number]];
  const sentence = `The rollback index at location ${location} goes from ${now} back to ${after}.`;
  return phone.condition.bootloaderUnlocked
    ? [
        {
          id: 'rollback-index',
          severity: 'confirm',
          title: 'Older than what the phone has seen',
          sentence: `${sentence} Unlocked, it still starts; do not lock it with this image.`,
        },
      ]
    : stop(
        'rollback-index',
        'Older than what the phone accepts',
        `${sentence} A locked bootloader starts nothing below the index that it has stored.`,
      );
};

const major = (release: string | undefined) => release?.split('.')[0];

/** Android versions before and after the plan, where a plan changes the system. */
function versions({ forecast, images, phone }: Parameters<RestoringCheck>[0]) {
  const system = images.find(
    ({ role, onto }) => role === 'system' && /^(super|system)$/.test(splitSlot(onto).base),
  );
  if (!system) return undefined;
  const now = forecast
    ? forecast.now.system
    : { release: phone.condition.androidVersion, patch: phone.condition.patchLevel };
  const after = forecast?.after.system ?? { release: system.set.androidVersion, patch: undefined };
  return now?.release && after.release ? { now, after } : undefined;
}

/** Asks, or stops, when the system is of another Android than the early loader that stays. */
export const versionCrossing: RestoringCheck = (facts) => {
  const found = versions(facts);
  if (!found || major(found.now.release) === major(found.after.release)) return [];
  const { images, partitions, forecast } = facts;
  const early = partitions.filter(({ role }) => role === 'early-loader').map(({ name }) => name);
  const missing = early.filter((name) => !images.some(({ onto }) => onto === name));
  const crossing = `The system goes from Android ${found.now.release} to ${found.after.release}.`;
  if (missing.length === 0) {
    return [
      {
        id: 'version-crossing',
        severity: 'note',
        title: 'Across Android versions',
        sentence: `${crossing} The early loader goes along.`,
      },
    ];
  }
  const known = images.find(({ role }) => role === 'system')!.set.partitions;
  const canAdd = missing.filter((name) => known.includes(name));
  return [
    {
      id: 'version-crossing',
      severity: forecast?.after.result === 'dead' ? 'stop' : 'confirm',
      title: 'Across Android versions',
      sentence: `${crossing} ${listText(missing)} ${missing.length > 1 ? 'stay' : 'stays'} as before: an early loader of another version may leave nothing but loader mode.`,
      ...(canAdd.length > 0 && { mend: { do: 'pick' as const, partitions: canAdd } }),
    },
  ];
};

/** Asks before an older system meets user data that a newer one has written. */
export const olderSystem: RestoringCheck = (facts) => {
  const found = versions(facts);
  if (!found || facts.images.some(({ onto }) => onto === 'userdata')) return [];
  const { now, after } = found;
  const byVersion = Number(major(after.release)) - Number(major(now.release));
  const isOlder =
    byVersion < 0 || (byVersion === 0 && Boolean(now.patch && after.patch && after.patch < now.patch));
  if (!isOlder) return [];
  return [
    {
      id: 'older-system-newer-data',
      severity: 'confirm',
      title: 'An older system under newer user data',
      sentence: `User data stays as Android ${now.release}${now.patch ? ` (${now.patch})` : ''} left it; Android ${after.release}${after.patch ? ` (${after.patch})` : ''} may not read it and restart over and over. Put back the user data of the same set as well.`,
    },
  ];
};

/** What of a boot chain is signed, and started, together. */
const oneChain = ['boot', 'init_boot', 'vendor_boot', 'dtbo', 'vbmeta'];

/** Asks before a part of a boot chain meets the rest of another build. */
export const partOfBootChain: RestoringCheck = ({ images, forecast }) => {
  const picked = images.filter(({ onto }) => oneChain.includes(splitSlot(onto).base));
  const [first] = picked;
  if (!first) return [];
  const { slot } = splitSlot(first.partition);
  const whole = first.set.partitions.filter((name) => {
    const split = splitSlot(name);
    return oneChain.includes(split.base) && split.slot === slot;
  });
  const left = whole.filter((name) => !picked.some(({ partition }) => partition === name));
  const isOfOneSet = picked.every(({ set }) => set.setId === first.set.setId);
  if (left.length === 0 && isOfOneSet) return [];
  // Where the bytes themselves say that it fits, nobody has to guess.
  if (forecast?.after.result === 'starts') return [];
  return [
    {
      id: 'part-of-boot-chain',
      severity: 'confirm',
      title: 'A part of the boot chain',
      sentence: isOfOneSet
        ? `${listText(left)} ${left.length > 1 ? 'stay' : 'stays'} as on the phone: parts of different builds may not start together.`
        : 'The parts come from different sets: parts of different builds may not start together.',
      ...(isOfOneSet && left.length > 0 && { mend: { do: 'pick' as const, partitions: left } }),
    },
  ];
};

const mapped = ({ partition, onto }: RestoringImage) => partition !== onto;

/** Says which image goes to which slot, and which slot starts afterwards. */
export const otherSlot: RestoringCheck = (facts) => {
  const { images, activate, activeSlot, partitions, slotsAreElsewhere } = facts;
  const hasSlots =
    partitions.length === 0 || partitions.some(({ name }) => splitSlot(name).slot !== undefined);
  if (activate && !hasSlots) {
    return stop('other-slot', 'This phone has no slots', `There is no slot ${activate} to start from.`);
  }
  if (activate && slotsAreElsewhere) {
    const sentence = 'It does not keep its slots on misc. Switch them in its bootloader.';
    const mend = { do: 'restart', into: 'bootloader' } as const;
    return stop('other-slot', 'Slots cannot be switched in this mode', sentence, mend);
  }
  const moved = images.filter(mapped);
  const slots = new Set(images.map(({ onto }) => splitSlot(onto).slot).filter((slot) => slot !== undefined));
  const starting = activate ?? activeSlot;
  const idle = starting !== undefined && slots.size > 0 && !slots.has(starting);
  if (moved.length === 0 && !idle && !activate) return [];
  const sentences = [
    moved.length > 0 && `${listText(moved.map(({ partition, onto }) => `${partition} goes to ${onto}`))}.`,
    idle &&
      `The images are for slot ${[...slots].join(' and ')}, and slot ${starting} starts: they lie there unused.`,
    activate
      ? `Slot ${activate} becomes the one that starts${activeSlot && activeSlot !== activate ? `, instead of ${activeSlot}` : ''}.`
      : !idle && starting && `Slot ${starting} stays the one that starts.`,
  ];
  return [
    { id: 'other-slot', severity: 'note', title: 'Slots', sentence: sentences.filter(Boolean).join(' ') },
  ];
};

export const firstStart: RestoringCheck = ({ images }) =>
  images.some(({ role }) => role === 'system' || role === 'user-data')
    ? [
        {
          id: 'first-start',
          severity: 'note',
          title: 'The first start takes long',
          sentence: 'Expect 15–20 minutes on a real phone. Leave the cable in.',
        },
      ]
    : [];

/** Says how long to expect, and against what. */
export const duration =
  (expectedMs: number): RestoringCheck =>
  ({ imagingMs, images }) =>
    images.length === 0 || imagingMs === undefined
      ? []
      : [
          {
            id: 'duration',
            severity: 'note',
            title: `About ${durationText(expectedMs)}`,
            sentence: `The set took ${durationText(imagingMs)} to image. Putting back takes about as long for the same bytes, up to a third longer.`,
          },
        ];

/** Offers to image first what is about to be overwritten and is nowhere kept. */
export const keepFirst: RestoringCheck = ({ keepFirst: facts }): Check[] => {
  if (!facts || facts.partitions.length === 0) return [];
  const { partitions, freeBytes, isWanted, canRead, bytesPerSecond } = facts;
  const bytes = partitions.reduce((sum, each) => sum + each.bytes, 0);
  const names = listText(partitions.map(({ name }) => name));
  const fact = `${names} ${partitions.length > 1 ? 'are' : 'is'} not known to be kept as ${partitions.length > 1 ? 'they are' : 'it is'} now.`;
  const id = 'keep-first';
  if (!canRead) {
    return [
      {
        id,
        severity: 'note',
        title: 'Cannot be kept first',
        sentence: `${fact} This mode reads nothing out.`,
      },
    ];
  }
  if (bytes > freeBytes) {
    const sentence = `${fact} The shelf has no room for ${sizeText(bytes)}.`;
    return isWanted
      ? stop(id, 'No room to keep first', sentence)
      : [{ id, severity: 'note', title: 'Not kept first', sentence }];
  }
  return [
    isWanted
      ? {
          id,
          severity: 'note',
          title: 'Kept first',
          sentence: `${fact} A run before this one images ${sizeText(bytes)}, about ${durationText((bytes / bytesPerSecond) * 1000)}.`,
        }
      : { id, severity: 'note', title: 'Not kept first', sentence: fact },
  ];
};

/** Targets that hold already what would be written. */
export const alreadyThere: RestoringCheck = ({ images }) => {
  const there = targets(images.filter(({ isThere }) => isThere));
  return there.length === 0
    ? []
    : [
        {
          id: 'already-there',
          severity: 'note',
          title: `${listText(there)} ${there.length > 1 ? 'hold' : 'holds'} this already`,
          sentence:
            'The phone’s own digest was the same when it was last compared. Writing it again does no harm.',
          mend: { do: 'unpick', partitions: there },
        },
      ];
};
