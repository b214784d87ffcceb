import type { Forecast } from '../boot/index.ts';
import { sizeText } from '../bytes/units.ts';
import type { PartitionFacts, PhoneFacts } from '../phone/facts.ts';
import { abilitiesOf, type PhoneMode } from '../phone/modes.ts';
import { isNeverWritten, whyNeverWritten, type Role } from '../phone/roles.ts';
import { batteryFor, restoringBattery } from './battery.ts';
import { bySeverity, listText, type Check, type RunSheet, type Step } from './check.ts';

export interface RestoringImage {
  readonly partition: string;
  readonly role: Role;
  readonly bytes: number;
  /** What the last verification found. */
  readonly damaged: boolean;
  /** Parts of it never came out of the phone as they were. */
  readonly isIncomplete?: boolean;
  /** An archive of files belongs to no partition. */
  readonly kind?: 'block' | 'archive';
}

/** Everything a restoring run sheet is computed from. */
export interface RestoringFacts {
  readonly phone: PhoneFacts;
  readonly partitions: readonly PartitionFacts[];
  readonly set: {
    readonly serial: string;
    readonly maker: string;
    readonly model: string;
    readonly images: readonly RestoringImage[];
  };
  /** Partition names of the images to put back. */
  readonly picked: readonly string[];
  /** When the phone's present user data was last kept, in words; undefined when never. */
  readonly userDataKept: string | undefined;
  readonly restartAfter: boolean;
  /** How the phone starts as it is, and how after the plan; undefined where nobody can tell. */
  readonly forecast?: { readonly now: Forecast; readonly after: Forecast } | undefined;
  readonly bytesPerSecond: number;
}

interface Context extends RestoringFacts {
  readonly images: readonly RestoringImage[];
}

type RestoringCheck = (context: Context) => Check[];

/** Writes that a phone needs to be reachable come last, so that a run broken off half-way leaves them whole. */
const lastWritten = ['boot', 'recovery'];

/** A restore takes up to a third longer than reading did (common practice, no published source). */
const writeFactor = 4 / 3;

/** The plan of a restoring run: every image is verified, then each is written and proved in turn. */
export function restoringSheet(facts: RestoringFacts): RunSheet {
  const rank = ({ partition }: RestoringImage) => lastWritten.indexOf(partition);
  const images = facts.set.images
    .filter(({ partition }) => facts.picked.includes(partition))
    .sort((a, b) => rank(a) - rank(b));
  const bytes = images.reduce((sum, each) => sum + each.bytes, 0);
  const context = { ...facts, images };
  const expectedMs = (bytes / facts.bytesPerSecond) * 1000 * writeFactor;
  return {
    steps: images.length > 0 ? stepsOf(images, facts) : [],
    bytes,
    bytesPerSecond: facts.bytesPerSecond,
    expectedMs,
    batteryPercent: batteryFor(expectedMs),
    checks: bySeverity((images.length > 0 ? checks : beforePicking).flatMap((check) => check(context))),
  };
}

/** A bootloader takes images and reads nothing out: what it was given is proved in recovery. */
const provesLater = (mode: PhoneMode): boolean => mode === 'bootloader';

function stepsOf(images: readonly RestoringImage[], { phone, restartAfter }: RestoringFacts): Step[] {
  const each = (kind: Step['kind'], text: (partition: string) => string) =>
    images.map(({ partition, bytes }): Step => ({ kind, text: text(partition), partition, bytes }));
  const restart = (into: PhoneMode): Step => ({
    kind: 'restart',
    text: `Restart into ${into}`,
    into,
    bytes: 0,
  });
  const later = provesLater(phone.mode);
  return [
    ...each('verify', (name) => `Verify the kept image of ${name}`),
    ...each('write', (name) => (later ? `Flash ${name}` : `Write ${name} and compare the phone’s digest`)),
    ...(later
      ? [restart('recovery'), ...each('prove', (name) => `Compare the phone’s digest of ${name}`)]
      : []),
    ...(restartAfter
      ? [restart('system'), { kind: 'watch' as const, text: 'Watch the phone start', bytes: 0 }]
      : []),
  ];
}

/** Stops when a locked bootloader would refuse every write. */
const bootloaderLocked: RestoringCheck = ({ phone }) =>
  phone.mode === 'bootloader' && phone.condition.bootloaderUnlocked === false
    ? stop(
        'bootloader-locked',
        'The bootloader is locked',
        'It takes no images. Loader mode, where the processor has one, writes a locked phone as well.',
      )
    : [];

const startWords: Readonly<Record<Forecast['result'], string>> = {
  starts: 'starts',
  warns: 'starts behind a warning',
  refused: 'is refused by its bootloader',
  loops: 'restarts for ever',
};

/** Says how the phone will start, judged from the bytes that the plan leaves on it. */
const bootForecast: RestoringCheck = ({ forecast }) => {
  if (!forecast) return [];
  const { now, after } = forecast;
  const isWell = ({ result }: Forecast) => result === 'starts' || result === 'warns';
  const before = isWell(now) === isWell(after) ? '' : ` As it is now, it ${startWords[now.result]}.`;
  return [
    {
      id: 'boot-forecast',
      severity: isWell(after) ? 'good' : isWell(now) && after.result === 'refused' ? 'stop' : 'confirm',
      title: isWell(after)
        ? `It ${startWords[after.result]} afterwards`
        : `It will not start: it ${startWords[after.result]}`,
      sentence: `From the bytes that will lie on it: ${after.reason}.${before}`,
    },
  ];
};

/** Says why the phone goes through recovery. */
const provedLater: RestoringCheck = ({ phone }) =>
  provesLater(phone.mode)
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

const stop = (id: Check['id'], title: string, sentence: string, mend?: Check['mend']): Check[] => [
  { id, severity: 'stop', title, sentence, ...(mend && { mend }) },
];

const nothingPicked: RestoringCheck = () =>
  stop('nothing-picked', 'Nothing is picked', 'Pick the images to put back in the list.');

const modeCannotWrite: RestoringCheck = ({ phone }) =>
  abilitiesOf(phone.mode, phone.root).write
    ? []
    : stop(
        'mode-cannot-write',
        'Partitions cannot be written now',
        `In ${phone.mode} mode the phone is using them. Recovery writes every partition.`,
        { do: 'restart', into: 'recovery' },
      );

/** Asks before an image with gaps goes back: what lies in them is lost. */
const imageNotComplete: RestoringCheck = ({ images }) => {
  const gaps = images.filter(({ isIncomplete }) => isIncomplete).map(({ partition }) => partition);
  if (gaps.length === 0) return [];
  return [
    {
      id: 'image-not-complete',
      severity: 'confirm',
      title: `${listText(gaps)} ${gaps.length > 1 ? 'are' : 'is'} not complete`,
      sentence:
        'Parts could not be read from the phone when the set was taken; they go back as they were read, or as zeros.',
    },
  ];
};

/** Stops when the set was taken from another model. */
const wrongModel: RestoringCheck = ({ phone, set }) =>
  phone.maker === set.maker && phone.model === set.model
    ? []
    : stop(
        'wrong-model',
        'Another model',
        `The set is of a ${set.maker} ${set.model}; this is a ${phone.maker} ${phone.model}. It would not start.`,
      );

/** Stops, without exception, when identity images would go to another phone. */
const identityOfAnother: RestoringCheck = ({ phone, set, images }) => {
  const identity = images.filter(({ role }) => role === 'identity').map(({ partition }) => partition);
  if (phone.serial === set.serial) {
    return [
      {
        id: 'identity-of-another',
        severity: 'good',
        title: 'Same phone',
        sentence: `The set was taken from ${set.serial}.`,
      },
    ];
  }
  return identity.length === 0
    ? []
    : stop(
        'identity-of-another',
        'Identity of another phone',
        `${listText(identity)} were taken from ${set.serial}. An IMEI stays with its phone.`,
        { do: 'unpick', partitions: identity },
      );
};

/** Stops when an image has no partition to go to. A mode that cannot list them knows of none missing. */
const missingPartition: RestoringCheck = ({ phone, partitions, images }) => {
  if (!abilitiesOf(phone.mode, phone.root).read && partitions.length === 0) return [];
  const missing = images
    .filter(
      ({ partition, kind }) =>
        kind !== 'archive' &&
        (!partitions.some(({ name }) => name === partition) || isNeverWritten(partition)),
    )
    .map(({ partition }) => partition);
  return missing.length === 0
    ? []
    : stop(
        'missing-partition',
        `${listText(missing)} cannot be written`,
        missing.every(isNeverWritten)
          ? `${[...new Set(missing.map(whyNeverWritten))].join(' ')} It is never written.`
          : 'The phone has no such partition.',
        { do: 'unpick', partitions: missing },
      );
};

/** Stops on archives of files, which are no partition's bytes. */
const archivePicked: RestoringCheck = ({ images }) => {
  const archives = images.filter(({ kind }) => kind === 'archive').map(({ partition }) => partition);
  return archives.length === 0
    ? []
    : stop(
        'archive-picked',
        `${listText(archives)} cannot be put back by a run`,
        'It is an archive of files, not a partition’s bytes. Export the set and unpack it on the phone by hand.',
        { do: 'unpick', partitions: archives },
      );
};

/** Stops when a stored image does not fit its partition. */
const imageTooLarge: RestoringCheck = ({ partitions, images }) =>
  images.flatMap((image) => {
    const target = partitions.find(({ name }) => name === image.partition);
    return !target || image.bytes <= target.bytes
      ? []
      : stop(
          'image-too-large',
          `${image.partition} is too large`,
          `${target.name} holds ${sizeText(target.bytes)}; the image has ${sizeText(image.bytes)}.`,
          { do: 'unpick', partitions: [image.partition] },
        );
  });

/** Stops on images that the last verification found damaged; the run itself verifies all again. */
const imageDamaged: RestoringCheck = ({ images }) => {
  const damaged = images.filter((image) => image.damaged).map(({ partition }) => partition);
  return damaged.length === 0
    ? [
        {
          id: 'image-damaged',
          severity: 'note',
          title: 'Verified before the first write',
          sentence: 'Every picked image is read and checked against its digest before anything is written.',
        },
      ]
    : stop(
        'image-damaged',
        `${listText(damaged)} is damaged`,
        'The stored bytes do not match their digest. Use another set.',
        { do: 'unpick', partitions: damaged },
      );
};

/** Asks before user data is replaced, and says when what is lost was last kept. */
const willWipe: RestoringCheck = ({ images, userDataKept }) => {
  const wiped = images.filter(({ role }) => role === 'user-data').map(({ partition }) => partition);
  return wiped.length === 0
    ? [
        {
          id: 'will-wipe',
          severity: 'good',
          title: 'User data stays',
          sentence: 'Apps, settings and photos on the phone are not touched.',
        },
      ]
    : [
        {
          id: 'will-wipe',
          severity: 'confirm',
          title: 'User data is replaced',
          sentence: `Apps, settings, photos and downloads now on the phone are lost. ${
            userDataKept ? `They were last kept ${userDataKept}.` : 'They were never kept.'
          }`,
        },
      ];
};

const firstStart: RestoringCheck = ({ images }) =>
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

const checks: readonly RestoringCheck[] = [
  modeCannotWrite,
  bootloaderLocked,
  wrongModel,
  imageNotComplete,
  identityOfAnother,
  missingPartition,
  archivePicked,
  imageTooLarge,
  imageDamaged,
  ({ phone }) => restoringBattery(phone.battery),
  willWipe,
  bootForecast,
  provedLater,
  firstStart,
];

/** What is worth saying while nothing is picked. */
const beforePicking: readonly RestoringCheck[] = [
  modeCannotWrite,
  bootloaderLocked,
  wrongModel,
  nothingPicked,
];
