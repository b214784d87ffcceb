import { sizeText } from '../../bytes/units.ts';
import { abilitiesOf } from '../../phone/modes.ts';
import { archiveOf } from '../../phone/archives.ts';
import { isNeverWritten, whyNeverWritten } from '../../phone/roles.ts';
import { listText, stop } from '../check.ts';
import type { RestoringCheck, RestoringImage } from './facts.ts';

/** Names of where images go, each once. */
export const targets = (images: readonly RestoringImage[]): string[] => [
  ...new Set(images.map(({ onto }) => onto)),
];

/** Asks before an image with gaps goes back: what lies in them is lost. */
export const imageNotComplete: RestoringCheck = ({ images }) => {
  const gaps = targets(images.filter(({ isIncomplete }) => isIncomplete));
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

/** Stops when a set was taken from another model. */
export const wrongModel: RestoringCheck = ({ phone, images }) => {
  const other = images.find(({ set }) => phone.maker !== set.maker || phone.model !== set.model)?.set;
  return other
    ? stop(
        'wrong-model',
        'Another model',
        `The set is of a ${other.maker} ${other.model}; this is a ${phone.maker} ${phone.model}. It would not start.`,
      )
    : [];
};

/** Says so where what goes onto the phone is firmware of its model. */
export const firmwareOfModel: RestoringCheck = ({ phone, images }) => {
  const firmware = images.filter(({ set }) => set.isFirmware);
  return firmware.length === 0 ||
    firmware.some(({ set }) => set.maker !== phone.maker || set.model !== phone.model)
    ? []
    : [
        {
          id: 'firmware-of-model',
          severity: 'good',
          title: 'Firmware of this model',
          sentence: `${listText(targets(firmware))} ${targets(firmware).length > 1 ? 'come' : 'comes'} from firmware for the ${phone.maker} ${phone.model}.`,
        },
      ];
};

/** Stops, without exception, when identity images would go to another phone. */
export const identityOfAnother: RestoringCheck = ({ phone, images }) => {
  const identity = images.filter(({ role, identity: origin, set }) =>
    origin ? origin.is === 'foreign' : role === 'identity' && set.serial !== phone.serial,
  );
  if (identity.length > 0) {
    const [{ identity: origin, set }] = identity as [RestoringImage];
    const whose = origin?.is === 'foreign' ? origin.serials : [set.serial];
    const [was, it] = targets(identity).length > 1 ? ['were', 'they'] : ['was', 'it'];
    return stop(
      'identity-of-another',
      'Identity of another phone',
      `${listText(targets(identity))} ${was} taken from ${listText(whose)}, whatever set ${it} ${was} filed in. An IMEI stays with its phone.`,
      { do: 'unpick', partitions: targets(identity) },
    );
  }
  if (images.length === 0 || images.some(({ set }) => set.serial !== phone.serial)) return [];
  const isImported = images.some(({ set }) => set.isImported);
  return [
    {
      id: 'identity-of-another',
      severity: 'good',
      title: 'Same phone',
      sentence: isImported
        ? `What goes back is filed under ${phone.serial}; some of it came as files.`
        : `What goes back was taken from ${phone.serial}.`,
    },
  ];
};

/** Asks, with a tick of its own, before an identity goes back that nobody can trace to this phone. */
export const identityUnproved: RestoringCheck = ({ images }) => {
  const names = targets(images.filter(({ identity }) => identity?.is === 'unproved'));
  if (names.length === 0) return [];
  const [carries, came] = names.length > 1 ? ['carry', 'they'] : ['carries', 'it'];
  return [
    {
      id: 'identity-unproved',
      severity: 'confirm',
      title: `Whose identity ${listText(names)} ${carries} is not known`,
      sentence: `${came === 'it' ? 'It' : 'They'} came as files, and nothing that was read from this phone has the same bytes. Put ${came === 'it' ? 'it' : 'them'} back only if you know that ${came === 'it' ? 'it is' : 'they are'} this phone’s own.`,
    },
  ];
};

/** Stops when an archive of files would be written as a partition, or a partition's image unpacked as files. */
export const wrongKind: RestoringCheck = ({ images }) => {
  const wrong = images.filter((image) => isArchive(image) !== (archiveOf(image.onto) !== undefined));
  return wrong.length === 0
    ? []
    : stop(
        'wrong-kind',
        `${listText(targets(wrong))} cannot take that`,
        isArchive(wrong[0]!)
          ? `${wrong[0]!.partition} is an archive of files; it is unpacked into user data, and never written as a partition.`
          : `${wrong[0]!.partition} is the image of a partition; it cannot be unpacked as files.`,
        { do: 'unpick', partitions: targets(wrong) },
      );
};

/** Stops when two images would go to one partition. */
export const twoForOne: RestoringCheck = ({ images }) => {
  const twice = targets(images).filter((name) => images.filter(({ onto }) => onto === name).length > 1);
  return twice.length === 0
    ? []
    : stop(
        'two-for-one',
        `Two images for ${listText(twice)}`,
        'A partition takes one image. Leave the other out.',
        { do: 'unpick', partitions: twice },
      );
};

/** Stops when an image has no partition to go to. A mode that cannot list them knows of none missing. */
export const missingPartition: RestoringCheck = ({ phone, partitions, images }) => {
  if (!abilitiesOf(phone.mode, phone.root).read && partitions.length === 0) return [];
  const missing = targets(
    images.filter(
      ({ onto, kind }) =>
        kind !== 'archive' && (!partitions.some(({ name }) => name === onto) || isNeverWritten(onto)),
    ),
  );
  return missing.length === 0
    ? []
    : stop(
        'missing-partition',
        `${listText(missing)} cannot be written`,
        missing.every(isNeverWritten)
          ? `${[...new Set(missing.map(whyNeverWritten))].join(' ')} It is never written.`
          : partitions.some(({ name }) => name === 'super')
            ? 'The phone has no such partition. What lies within super, such as a logical partition of the system, goes back with super as a whole.'
            : 'The phone has no such partition.',
        { do: 'unpick', partitions: missing },
      );
};

/** Files can be put back in recovery alone, and only where user data opens there. */
export const filesNotReachable: RestoringCheck = ({ phone, partitions, images, format }) => {
  const archives = targets(images.filter(isArchive));
  if (archives.length === 0) return [];
  const id = 'files-not-reachable';
  if (phone.mode !== 'recovery') {
    return stop(
      id,
      `${listText(archives)} cannot be put back in ${phone.mode} mode`,
      'Files are unpacked while the system does not run: in a recovery that gives root.',
      phone.mode === 'system' || phone.mode === 'bootloader'
        ? { do: 'restart', into: 'recovery' }
        : undefined,
    );
  }
  if (phone.condition.encrypted) {
    return stop(
      id,
      'User data is encrypted',
      'Recovery cannot open it, so nothing can be unpacked into it. Put the block image back, together with metadata.',
      { do: 'unpick', partitions: archives },
    );
  }
  const isReachable = partitions.some(({ archive }) => archive);
  return isReachable || format
    ? []
    : stop(
        id,
        'User data cannot be mounted',
        'Its file system is damaged or missing. Formatted, it takes the files; what is on it now is lost.',
        { do: 'format' },
      );
};

/** Stops on user data both as a block image and as files: the second would undo the first. */
export const twoWaysAtOnce: RestoringCheck = ({ images }) => {
  const archives = targets(images.filter(isArchive));
  return archives.length > 0 && images.some(({ onto }) => onto === 'userdata')
    ? stop(
        'two-for-one',
        'User data twice',
        'The block image of userdata holds every file already. Put back either that or the files.',
        { do: 'unpick', partitions: archives },
      )
    : [];
};

export const isArchive = ({ kind }: RestoringImage): boolean => kind === 'archive';

/** Stops when a stored image does not fit its partition. */
export const imageTooLarge: RestoringCheck = ({ partitions, images }) =>
  images.flatMap((image) => {
    const place = isArchive(image) ? 'userdata' : image.onto;
    const target = partitions.find(({ name }) => name === place);
    return !target || image.bytes <= target.bytes
      ? []
      : stop(
          'image-too-large',
          `${image.partition} is too large`,
          `${target.name} holds ${sizeText(target.bytes)}; the image has ${sizeText(image.bytes)}.`,
          { do: 'unpick', partitions: [image.onto] },
        );
  });

/** Stops on images that the last verification found damaged; the run itself verifies all again. */
export const imageDamaged: RestoringCheck = ({ images }) => {
  if (images.length === 0) return [];
  const damaged = targets(images.filter((image) => image.damaged));
  return damaged.length === 0
    ? [
        {
          id: 'image-damaged',
          severity: 'note',
          title: 'Verified before the first write',
          sentence:
            'Every picked image is read whole, and each part of it checked against its checksum, before anything is written.',
        },
      ]
    : stop(
        'image-damaged',
        `${listText(damaged)} is damaged`,
        'The stored bytes do not match their digest. Use another set.',
        { do: 'unpick', partitions: damaged },
      );
};

/**
 * Stops on ciphertext that would not open: user data and the partition that holds its key belong together,
 * to one phone, and only until that phone wipes its user data.
 */
export const encryptedUserData: RestoringCheck = ({ phone, images }) => {
  const coded = images.filter(
    ({ role, set, kind }) => role === 'user-data' && set.isEncrypted && kind !== 'archive',
  );
  if (coded.length === 0) return [];
  const names = targets(coded);
  const leaveOut = { do: 'unpick', partitions: names } as const;
  const foreign = coded.find(({ set }) => set.serial !== phone.serial);
  if (foreign) {
    return stop(
      'encrypted-user-data',
      'Ciphertext of another phone',
      `The key of ${listText(names)} is bound to ${foreign.set.serial}: here it stays ciphertext, and the phone does not start.`,
      leaveOut,
    );
  }
  if (coded.some(({ set }) => set.keyIsGone)) {
    return stop(
      'encrypted-user-data',
      'The key of this user data is gone',
      'The phone has wiped its user data since the set was taken, and with it what opens this ciphertext. An archive of files would still go back.',
      leaveOut,
    );
  }
  const together = ['userdata', 'metadata'];
  const setOf = (name: string) => coded.find(({ onto }) => onto === name)?.set;
  const [of, key] = [setOf('userdata'), setOf('metadata')];
  if (of?.setId === key?.setId) {
    return [
      {
        id: 'encrypted-user-data',
        severity: 'note',
        title: 'Ciphertext, with its key',
        sentence: 'User data goes back as it lay on the flash, together with the key of the same time.',
      },
    ];
  }
  const missing = together.filter((name) => !setOf(name));
  const set = (of ?? key)!;
  const canAdd = missing.length > 0 && missing.every((name) => set.partitions.includes(name));
  return stop(
    'encrypted-user-data',
    missing.length > 0 ? `${listText(names)} alone does not open` : 'User data and key of two sets',
    'Encrypted user data and the key on metadata belong together; one without the other, or of another time, stays ciphertext.',
    canAdd ? { do: 'pick', partitions: missing } : leaveOut,
  );
};
