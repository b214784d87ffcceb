import { sizeText } from '../bytes/units.ts';
import type { Model } from '../larder/firmware.ts';
import { nextFreeLabel } from '../larder/label.ts';
import { roleOf } from '../phone/roles.ts';
import { bySeverity, listText, type Check, type RunSheet } from './check.ts';

/** An image that is to be made of files. */
export interface ImportingImage {
  readonly partition: string;
  readonly paths: readonly string[];
  /** Of the files. */
  readonly bytes: number;
  /** Of the image, where it is known. */
  readonly imageBytes?: number;
  readonly notes: readonly string[];
  /** Why it cannot be made. */
  readonly fault?: string;
  /** A checksum file that came along names its files. */
  readonly isListed: boolean;
  /** The serial of another phone, of whose identity it is by what came along or what the larder knows. */
  readonly identityOf?: string;
}

/** Everything an importing run sheet is computed from. */
export interface ImportingFacts {
  readonly images: readonly ImportingImage[];
  /** Files that no partition was chosen for. */
  readonly left: readonly string[];
  readonly label: string;
  /** Of the phone; empty where none was named. */
  readonly serial: string;
  /** The model, where they are of no one phone. */
  readonly firmwareOf?: Model | undefined;
  /** Partitions of the phone and their sizes, as far as they are known. */
  readonly partitions: readonly { readonly name: string; readonly bytes: number }[];
  /** Labels of the phone's sets. */
  readonly labels: readonly string[];
  readonly shelf: { readonly freeBytes: number };
  readonly bytesPerSecond: number;
}

/** Nothing is expected to take no time. */
const leastMs = 1000;

type ImportingCheck = (facts: ImportingFacts) => Check[];

/** The plan of an import: every file is read, unpacked and digested once. */
export function importingSheet(facts: ImportingFacts): RunSheet {
  const bytes = facts.images.reduce((sum, each) => sum + (each.imageBytes ?? each.bytes), 0);
  return {
    steps: facts.images.map(({ partition, paths, imageBytes, bytes: fileBytes }) => ({
      kind: 'read',
      text: `Take in ${partition} from ${paths.length === 1 ? paths[0] : `${paths.length} files`}`,
      partition,
      bytes: imageBytes ?? fileBytes,
    })),
    bytes,
    bytesPerSecond: facts.bytesPerSecond,
    expectedMs: Math.max(leastMs, (bytes / facts.bytesPerSecond) * 1000),
    batteryPercent: 0,
    shelfBytes: bytes,
    checks: bySeverity(checks.flatMap((check) => check(facts))),
  };
}

const nothingPicked: ImportingCheck = ({ images }) =>
  images.length > 0
    ? []
    : [
        {
          id: 'nothing-picked',
          severity: 'stop',
          title: 'No file has a partition',
          sentence: 'Choose in the table which partition each file is the image of.',
        },
      ];

const phoneNotNamed: ImportingCheck = ({ serial, firmwareOf }) =>
  serial || firmwareOf
    ? []
    : [
        {
          id: 'phone-not-named',
          severity: 'stop',
          title: 'Which phone are they of?',
          sentence:
            'A set belongs to a phone: identity and user data go back to no other. Firmware is of a model: say so.',
        },
      ];

/** Stops when firmware, which goes onto many phones, would carry what belongs to one. */
const ofOnePhone: ImportingCheck = ({ firmwareOf, images }) => {
  const own = firmwareOf
    ? images.filter(({ partition }) => roleOf(partition) === 'identity').map(({ partition }) => partition)
    : [];
  return own.length === 0
    ? []
    : [
        {
          id: 'identity-in-firmware',
          severity: 'stop',
          title: `${listText(own)} ${own.length > 1 ? 'belong' : 'belongs'} to one phone`,
          sentence: `Firmware goes onto every phone of its model, an identity onto one. Leave ${own.length > 1 ? 'them' : 'it'} out, or import the files as of that phone.`,
        },
      ];
};

const nameTaken: ImportingCheck = ({ label, labels, firmwareOf }) => {
  const wanted = label.trim();
  if (!wanted)
    return [
      { id: 'name-taken', severity: 'stop', title: 'The set has no name', sentence: 'Give it one above.' },
    ];
  if (!labels.includes(wanted)) return [];
  const free = nextFreeLabel(wanted, labels);
  return [
    {
      id: 'name-taken',
      severity: 'stop',
      title: 'This name is taken',
      sentence: `Another set of this ${firmwareOf ? 'model' : 'phone'} is called “${wanted}”.`,
      mend: { do: 'rename', label: free },
    },
  ];
};

const shelfSpace: ImportingCheck = ({ images, shelf }) => {
  const bytes = images.reduce((sum, each) => sum + (each.imageBytes ?? each.bytes), 0);
  return bytes > shelf.freeBytes
    ? [
        {
          id: 'shelf-space',
          severity: 'stop',
          title: 'Not enough space on the shelf',
          sentence: `At most ${sizeText(bytes)} will be stored and ${sizeText(shelf.freeBytes)} is free.`,
        },
      ]
    : [];
};

const cannotBeMade: ImportingCheck = ({ images }) =>
  images.flatMap(({ partition, fault }) =>
    fault
      ? [
          {
            id: 'content-differs' as const,
            severity: 'stop' as const,
            title: `${partition} cannot be put together`,
            sentence: fault,
          },
        ]
      : [],
  );

/** Stops when another phone's identity would be filed under this one. */
const identityOfAnother: ImportingCheck = ({ images }) => {
  const foreign = images.filter(({ identityOf }) => identityOf !== undefined);
  if (foreign.length === 0) return [];
  const names = foreign.map(({ partition }) => partition);
  const [first] = foreign;
  return [
    {
      id: 'identity-of-another',
      severity: 'stop',
      title: 'Identity of another phone',
      sentence: `${listText(names)} ${names.length > 1 ? 'are' : 'is'} of ${first!.identityOf}, as the description that came along says. Import the files as of that phone, or leave ${names.length > 1 ? 'them' : 'it'} out.`,
    },
  ];
};

/** Stops when two files are to become one image. */
const twoForOne: ImportingCheck = ({ images }) => {
  const names = images.map(({ partition }) => partition);
  const twice = [...new Set(names.filter((name, i) => names.indexOf(name) !== i))];
  return twice.length === 0
    ? []
    : [
        {
          id: 'two-for-one',
          severity: 'stop',
          title: `Two files for ${listText(twice)}`,
          sentence: 'A set has one image of a partition. Leave one of the files out, or import it apart.',
        },
      ];
};

/** Notes images that are larger than their partition: they can be kept, but never go back. */
const tooLarge: ImportingCheck = ({ images, partitions }) =>
  images.flatMap(({ partition, imageBytes }) => {
    const target = partitions.find(({ name }) => name === partition);
    if (!target || imageBytes === undefined || imageBytes <= target.bytes) return [];
    return [
      {
        id: 'image-too-large' as const,
        severity: 'confirm' as const,
        title: `${partition} is larger than its partition`,
        sentence: `The phone's ${partition} holds ${sizeText(target.bytes)}; the image has ${sizeText(imageBytes)}. It can be kept, but not put back.`,
      },
    ];
  });

const oddContent: ImportingCheck = ({ images }) =>
  images
    .filter(({ notes }) => notes.length > 0)
    .map(({ partition, notes }) => ({
      id: 'content-differs' as const,
      severity: 'note' as const,
      title: `Look twice at ${partition}`,
      sentence: notes.join(' '),
    }));

const checksumsBeside: ImportingCheck = ({ images }) => {
  const listed = images.filter(({ isListed }) => isListed).length;
  if (images.length === 0) return [];
  return listed === images.length
    ? [
        {
          id: 'checksums-beside',
          severity: 'good',
          title: 'Checksums came along',
          sentence: 'Every file is checked against them; one that differs ends the import.',
        },
      ]
    : [
        {
          id: 'checksums-beside',
          severity: 'note',
          title: listed === 0 ? 'No checksums came along' : `${images.length - listed} without a checksum`,
          sentence: 'Nothing shows whether these files are unchanged. From now on their digests are kept.',
        },
      ];
};

const notMatched: ImportingCheck = ({ left }) =>
  left.length === 0
    ? []
    : [
        {
          id: 'not-matched',
          severity: 'note',
          title: `${left.length} ${left.length === 1 ? 'file is' : 'files are'} left out`,
          sentence: left.length > 4 ? `${left.slice(0, 4).join(', ')} and others.` : `${listText(left)}.`,
        },
      ];

const checks: readonly ImportingCheck[] = [
  nothingPicked,
  phoneNotNamed,
  ofOnePhone,
  nameTaken,
  shelfSpace,
  cannotBeMade,
  identityOfAnother,
  twoForOne,
  tooLarge,
  oddContent,
  checksumsBeside,
  notMatched,
];
