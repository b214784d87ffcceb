import { sizeText } from '../bytes/units.ts';
import { nextFreeLabel } from '../larder/label.ts';
import type { PartitionFacts, PhoneFacts } from '../phone/facts.ts';
import { abilitiesOf } from '../phone/modes.ts';
import { byRole } from '../phone/roles.ts';
import { imagingBattery } from './battery.ts';
import { bySeverity, listText, type Check, type RunSheet } from './check.ts';

/** Everything an imaging run sheet is computed from. */
export interface ImagingFacts {
  readonly phone: PhoneFacts;
  readonly partitions: readonly PartitionFacts[];
  /** Names of the picked partitions. */
  readonly picked: readonly string[];
  readonly label: string;
  readonly larder: {
    /** Labels of the phone's sets. */
    readonly labels: readonly string[];
    /** Identity partitions of this phone that some complete set holds. */
    readonly identityKept: readonly string[];
  };
  readonly shelf: { readonly freeBytes: number };
  readonly bytesPerSecond: number;
}

interface Context extends ImagingFacts {
  readonly images: readonly PartitionFacts[];
  readonly bytes: number;
}

type ImagingCheck = (context: Context) => Check[];

/** The plan of an imaging run: what is read in which order, how long it takes, what to know before. */
export function imagingSheet(facts: ImagingFacts): RunSheet {
  const images = facts.partitions.filter(({ name }) => facts.picked.includes(name)).sort(byRole);
  const bytes = images.reduce((sum, each) => sum + each.bytes, 0);
  const context = { ...facts, images, bytes };
  return {
    steps: images.map((image) => ({
      kind: 'read',
      text: `Read ${image.name}`,
      partition: image.name,
      bytes: image.bytes,
    })),
    bytes,
    bytesPerSecond: facts.bytesPerSecond,
    expectedMs: (bytes / facts.bytesPerSecond) * 1000,
    checks: bySeverity((images.length > 0 ? checks : beforePicking).flatMap((check) => check(context))),
  };
}

const nothingPicked: ImagingCheck = () => [
  {
    id: 'nothing-picked',
    severity: 'stop',
    title: 'Nothing is picked',
    sentence: 'Pick the partitions to keep on the map or in the table.',
  },
];

/** Stops when the shelf could not hold the set even if nothing of it compressed. */
const shelfSpace: ImagingCheck = ({ bytes, shelf }) =>
  bytes > shelf.freeBytes
    ? [
        {
          id: 'shelf-space',
          severity: 'stop',
          title: 'Not enough space on the shelf',
          sentence: `At most ${sizeText(bytes)} will be stored and ${sizeText(shelf.freeBytes)} is free. Pick less or free some space.`,
        },
      ]
    : [];

/** Stops when partitions cannot be read in the present mode. */
const modeCannotRead: ImagingCheck = ({ phone }) =>
  abilitiesOf(phone.mode, phone.root).read
    ? []
    : [
        {
          id: 'mode-cannot-read',
          severity: 'stop',
          title: 'Partitions cannot be read now',
          sentence:
            phone.mode === 'system'
              ? 'The running system gives no root. Recovery reads every partition.'
              : `The ${phone.mode} tells its variables but hands out no partitions. Recovery does.`,
          mend: { do: 'restart', into: 'recovery' },
        },
      ];

/** Asks when the running system may change a file system under the reader. */
const liveFileSystem: ImagingCheck = ({ phone, images }) => {
  const live = images.filter(({ mount }) => mount?.writable).map(({ name }) => name);
  if (phone.mode !== 'system' || live.length === 0) return [];
  return [
    {
      id: 'live-file-system',
      severity: 'confirm',
      title: `${listText(live)} in use`,
      sentence: `Mounted for writing: the running system may change ${live.length > 1 ? 'them' : 'it'} while being read. Recovery reads at rest.`,
      mend: { do: 'restart', into: 'recovery' },
    },
  ];
};

/** Asks before the irreplaceable is left out, unless the larder has it already. */
const identityLeftOut: ImagingCheck = ({ partitions, images, larder }) => {
  const identity = partitions.filter(({ role }) => role === 'identity').map(({ name }) => name);
  if (identity.length === 0) return [];
  const left = identity.filter((name) => !images.some((image) => image.name === name));
  if (left.length === 0) {
    return [
      {
        id: 'identity-left-out',
        severity: 'good',
        title: 'Identity is in',
        sentence: `${listText(identity)}: small, and irreplaceable.`,
      },
    ];
  }
  const never = left.filter((name) => !larder.identityKept.includes(name));
  const mend = { do: 'pick', partitions: left } as const;
  return never.length > 0
    ? [
        {
          id: 'identity-left-out',
          severity: 'confirm',
          title: 'Identity is left out',
          sentence: `${listText(never)} ${never.length > 1 ? 'are' : 'is'} not in the larder yet. ${never.length > 1 ? 'They carry' : 'It carries'} the IMEI and calibration, which no firmware brings back.`,
          mend,
        },
      ]
    : [
        {
          id: 'identity-left-out',
          severity: 'note',
          title: 'Identity is left out',
          sentence: `${listText(left)}: an earlier set has ${left.length > 1 ? 'them' : 'it'}.`,
          mend,
        },
      ];
};

/** Says, every time, whether photos and downloads are in. */
const sharedStorage: ImagingCheck = ({ partitions, images }) => {
  const userData = partitions.find(({ name }) => name === 'userdata');
  if (!userData) return [];
  const amount = userData.usedBytes === undefined ? '' : ` (${sizeText(userData.usedBytes)} in use)`;
  return images.includes(userData)
    ? [
        {
          id: 'shared-storage',
          severity: 'good',
          title: 'User data is in, photos included',
          sentence: `A block image of userdata${amount} holds apps, settings and shared storage: photos, downloads, all.`,
        },
      ]
    : [
        {
          id: 'shared-storage',
          severity: 'note',
          title: 'User data is left out',
          sentence: `No apps, settings, photos or downloads will be in this set${amount}.`,
          mend: { do: 'pick', partitions: ['userdata'] },
        },
      ];
};

const scratchPicked: ImagingCheck = ({ images }) => {
  const scratch = images
    .filter(({ role, name }) => role === 'scratch' && name !== 'misc')
    .map(({ name }) => name);
  if (scratch.length === 0) return [];
  return [
    {
      id: 'scratch-picked',
      severity: 'note',
      title: `${listText(scratch)} is picked`,
      sentence: 'Scratch space is not worth keeping and can cause odd faults when put back.',
      mend: { do: 'unpick', partitions: scratch },
    },
  ];
};

/** Stops when another set of this phone carries the label. */
const nameTaken: ImagingCheck = ({ label, larder }) => {
  if (label.trim() === '') {
    return [
      {
        id: 'name-taken',
        severity: 'stop',
        title: 'The set has no name',
        sentence: 'Give it one that still makes sense in a month.',
      },
    ];
  }
  return larder.labels.includes(label.trim())
    ? [
        {
          id: 'name-taken',
          severity: 'stop',
          title: 'This name is taken',
          sentence: 'Another set of this phone has it.',
          mend: { do: 'rename', label: nextFreeLabel(label.trim(), larder.labels) },
        },
      ]
    : [];
};

const checks: readonly ImagingCheck[] = [
  modeCannotRead,
  shelfSpace,
  nameTaken,
  liveFileSystem,
  identityLeftOut,
  sharedStorage,
  scratchPicked,
  ({ phone }) => imagingBattery(phone.battery),
];

/** What is worth saying while nothing is picked. */
const beforePicking: readonly ImagingCheck[] = [modeCannotRead, nothingPicked];
