import { sizeText } from '../bytes/units.ts';
import { nextFreeLabel } from '../larder/label.ts';
import type { PartitionFacts } from '../phone/facts.ts';
import { abilitiesOf } from '../phone/modes.ts';
import { batteryFor, imagingBattery } from './battery.ts';
import { listText, type Check } from './check.ts';
import { archiveTools, weakerProof } from './tool-checks.ts';
import { canReadUsedOnly, type ImagingCheck } from './imaging-facts.ts';

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
const modeCannotRead: ImagingCheck = ({ phone, mode, picked, images, partitions }) => {
  if (abilitiesOf(mode, phone.root).read) return [];
  const archived = (some: readonly PartitionFacts[]) =>
    mode === phone.mode && some.length > 0 && some.every(({ archive }) => archive);
  if (archived(images) && images.length === picked.length) return [];
  if (picked.length === 0 && archived(partitions))
    return [
      {
        id: 'mode-cannot-read',
        severity: 'note',
        title: 'Only what the system shares can be kept now',
        sentence: 'The running system gives no root. A recovery with root reads every partition.',
      },
    ];
  return [
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
};

/** Asks when the running system may change a file system under the reader. */
const liveFileSystem: ImagingCheck = ({ mode, images }) => {
  const live = images.filter(({ mount }) => mount?.writable).map(({ name }) => name);
  if (mode !== 'system' || live.length === 0) return [];
  return [
    {
      id: 'live-file-system',
      severity: 'confirm',
      title: `${listText(live)} in use`,
      sentence: `Mounted for writing: the running system may change ${live.length > 1 ? 'them' : 'it'} while being read. Recovery reads at rest.`,
      mend: { do: 'restart-first', into: 'recovery' },
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

/** Notes that what the processor starts from, outside the partition table, is not kept. */
const earlyLoaderLeftOut: ImagingCheck = ({ partitions, images }) => {
  const left = partitions
    .filter((each) => each.role === 'early-loader' && !images.includes(each))
    .map(({ name }) => name);
  if (left.length === 0) return [];
  return [
    {
      id: 'early-loader-left-out',
      severity: 'note',
      title: 'The early loader is left out',
      sentence: `${listText(left)} ${left.length > 1 ? 'start' : 'starts'} everything else; small, and needed when Android versions are crossed.`,
      mend: { do: 'pick', partitions: left },
    },
  ];
};

/** Says, every time, whether photos and downloads are in. */
const sharedStorage: ImagingCheck = ({ partitions, images }) => {
  const userData = partitions.find(({ name }) => name === 'userdata');
  if (!userData) return [];
  const has = (name: string) => images.some((image) => image.name === name);
  const amount = userData.usedBytes === undefined ? '' : ` (${sizeText(userData.usedBytes)} in use)`;
  if (has('userdata'))
    return [
      sharedIn(
        'User data is in, photos included',
        `A block image of userdata${amount} holds apps, settings and shared storage: photos, downloads, all.`,
      ),
    ];
  if (has('shared-storage')) {
    const apps = has('userdata-files');
    return [
      sharedIn(
        apps ? 'Files of user data are in, photos included' : 'Photos and downloads are in',
        apps
          ? 'Two archives: apps and settings, and shared storage.'
          : 'An archive of shared storage. Apps and settings are left out.',
      ),
    ];
  }
  const canArchive = partitions.some(({ name }) => name === 'shared-storage');
  if (has('userdata-files')) {
    return [
      {
        id: 'shared-storage',
        severity: 'note',
        title: 'Photos and downloads are left out',
        sentence:
          'The archive holds apps and settings without shared storage; of extended attributes, SELinux labels alone.',
        mend: { do: 'pick', partitions: ['shared-storage'] },
      },
    ];
  }
  return [
    {
      id: 'shared-storage',
      severity: 'note',
      title: 'User data is left out',
      sentence: `No apps, settings, photos or downloads will be in this set${amount}.`,
      mend: {
        do: 'pick',
        partitions:
          canArchive && userData.fileSystem === undefined
            ? ['userdata-files', 'shared-storage']
            : ['userdata'],
      },
    },
  ];
};

const sharedIn = (title: string, sentence: string): Check => ({
  id: 'shared-storage',
  severity: 'good',
  title,
  sentence,
});

/** Says what a block image of ciphertext is good for, and takes its key along. */
const encryptedUserData: ImagingCheck = ({ phone, partitions, images }) => {
  const picked = images.some(({ name }) => name === 'userdata');
  const metadata = partitions.some(({ name }) => name === 'metadata');
  if (!picked || !(phone.condition.encrypted || metadata)) return [];
  const hasKey = !metadata || images.some(({ name }) => name === 'metadata');
  return [
    {
      id: 'encrypted-user-data',
      severity: 'note',
      title: hasKey ? 'User data is ciphertext' : 'User data is ciphertext, its key is left out',
      sentence: `The block image goes back only to this phone and only together with metadata${hasKey ? '' : ', which is not picked'}. A factory reset makes it worthless.`,
      ...(!hasKey && { mend: { do: 'pick', partitions: ['metadata'] } as const }),
    },
  ];
};

/** Notes that user data is kept twice. */
const twoWays: ImagingCheck = ({ images }) => {
  const has = (name: string) => images.some((image) => image.name === name);
  if (!has('userdata') || !(has('userdata-files') || has('shared-storage'))) return [];
  return [
    {
      id: 'two-ways',
      severity: 'note',
      title: 'User data is kept in both ways',
      sentence: 'As a block image and as files. One is enough, unless the partition is to change its size.',
    },
  ];
};

/** Says what reading only used blocks leaves out. */
const usedBlocks: ImagingCheck = ({ images, usedOnly = [], mode }) => {
  const some = images.filter((each) => usedOnly.includes(each.name) && canReadUsedOnly(each));
  const live = mode === 'system' ? some.filter(({ mount }) => mount?.writable).map(({ name }) => name) : [];
  if (some.length === 0) return [];
  return [
    {
      id: 'used-blocks',
      severity: 'note',
      title: 'Only the blocks in use are read',
      sentence:
        live.length > 0
          ? `${listText(live)} ${live.length > 1 ? 'are' : 'is'} in use and read whole. Of the others, what deleted files left behind is not kept.`
          : 'Free blocks are taken as zeros: what deleted files left behind is not kept. Both digests cover what is read.',
    },
  ];
};

/** Notes what the phone could not read when it was looked at. */
const badFlash: ImagingCheck = ({ images }) => {
  const bad = images.filter(({ finding }) => finding !== undefined).map(({ name }) => name);
  if (bad.length === 0) return [];
  return [
    {
      id: 'bad-flash',
      severity: 'note',
      title: `${listText(bad)} cannot be read at its beginning`,
      sentence: 'The flash is worn there. What cannot be read is kept as zeros and named in the set.',
    },
  ];
};

/** Notes that logical partitions are kept beside the one that holds them. */
const withinTwice: ImagingCheck = ({ images }) => {
  const twice = images.filter(({ within }) => images.some(({ name }) => name === within));
  if (twice.length === 0) return [];
  const names = twice.map(({ name }) => name);
  return [
    {
      id: 'two-ways',
      severity: 'note',
      title: `${listText(names)} ${names.length > 1 ? 'are' : 'is'} kept twice`,
      sentence: `${twice[0]!.within} holds ${names.length > 1 ? 'them' : 'it'} already, and is what goes back; a logical partition alone is kept to be looked into.`,
      mend: { do: 'unpick', partitions: names },
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

export const imagingChecks: readonly ImagingCheck[] = [
  modeCannotRead,
  shelfSpace,
  nameTaken,
  liveFileSystem,
  identityLeftOut,
  earlyLoaderLeftOut,
  sharedStorage,
  encryptedUserData,
  twoWays,
  withinTwice,
  usedBlocks,
  badFlash,
  scratchPicked,
  ({ phone }) => weakerProof(phone),
  ({ phone, images }) =>
    archiveTools(
      phone,
      images.some(({ archive }) => archive),
    ),
  ({ phone, bytes, bytesPerSecond }) =>
    imagingBattery(phone.battery, batteryFor((bytes / bytesPerSecond) * 1000)),
];

/** What is worth saying while nothing is picked. */
export const checksBeforePicking: readonly ImagingCheck[] = [modeCannotRead, nothingPicked];
