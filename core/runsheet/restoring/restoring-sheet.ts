import { abilitiesOf } from '../../phone/modes.ts';
import { batteryFor, restoringBattery } from '../battery.ts';
import { bySeverity, stop, type RunSheet } from '../check.ts';
import { archiveTools, makerTools, weakerProof } from '../tool-checks.ts';
import { dataLostBy, type DataLost } from '../effects.ts';
import type { RestoringCheck, RestoringFacts, RestoringImage } from './facts.ts';
import {
  encryptedUserData,
  filesNotReachable,
  firmwareOfModel,
  identityOfAnother,
  identityUnproved,
  imageDamaged,
  imageNotComplete,
  imageTooLarge,
  missingPartition,
  twoForOne,
  twoWaysAtOnce,
  wrongKind,
  wrongModel,
} from './image-checks.ts';
import { packageDevice, packageLimits, packageRequires } from './package-checks.ts';
import {
  alreadyThere,
  bootForecast,
  duration,
  firstStart,
  keepFirst,
  olderSystem,
  otherSlot,
  partOfBootChain,
  provedLater,
  rollbackIndex,
  versionCrossing,
} from './start-checks.ts';
import { clearsCaches, inWritingOrder, restoringSteps } from './steps.ts';

export type { RestoringFacts, RestoringImage, RollbackFacts, SetFacts } from './facts.ts';

/** A restore takes up to a third longer than reading did (common practice, no published source). */
const writeFactor = 4 / 3;

/** What was put back before goes by how long that took the last time. */
function msFor({ onto, bytes }: RestoringImage, { paces, bytesPerSecond }: RestoringFacts): number {
  const pace = paces?.get(onto);
  return pace === undefined ? (bytes / bytesPerSecond) * 1000 * writeFactor : (bytes / pace) * 1000;
}

/** The plan of a restoring run: every image is verified, then each is written and proved in turn. */
export function restoringSheet(facts: RestoringFacts): RunSheet {
  const images = inWritingOrder(facts.images);
  const bytes = images.reduce((sum, each) => sum + each.bytes, 0);
  const expectedMs = images.reduce((sum, each) => sum + msFor(each, facts), 0);
  const hasWork = images.length > 0 || facts.activate !== undefined;
  const wanted = hasWork ? [...checks, duration(expectedMs)] : beforePicking;
  return {
    steps: hasWork ? restoringSteps(images, facts) : [],
    bytes,
    bytesPerSecond: facts.bytesPerSecond,
    expectedMs,
    batteryPercent: batteryFor(expectedMs),
    checks: bySeverity(wanted.flatMap((check) => check({ ...facts, images }))),
  };
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

const lostWords: Readonly<Record<Exclude<DataLost, 'nothing'>, string>> = {
  all: 'Apps, settings, photos and downloads now on the phone are lost.',
  apps: 'Apps and settings now on the phone are lost; photos and downloads on it stay.',
  'same names': 'Photos and downloads of the same names are overwritten; the rest stays.',
};

/** Says that what programs were translated into goes as well. */
const scratchCleared: RestoringCheck = (facts) =>
  clearsCaches(facts)
    ? [
        {
          id: 'scratch-cleared',
          severity: 'note',
          title: 'Code caches are cleared',
          sentence:
            'What the present system translated programs into is of no use to the other; the first start makes it again.',
        },
      ]
    : [];

/** Asks before user data is replaced, and says when what is lost was last kept. */
const willWipe: RestoringCheck = (facts) => {
  const { userDataKept } = facts;
  const lost = dataLostBy(restoringSteps(facts.images, facts));
  return lost === 'nothing'
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
          sentence: `${lostWords[lost]} ${
            userDataKept ? `They were last kept ${userDataKept}.` : 'They were never kept.'
          }`,
        },
      ];
};

const checks: readonly RestoringCheck[] = [
  modeCannotWrite,
  bootloaderLocked,
  wrongModel,
  imageNotComplete,
  firmwareOfModel,
  packageDevice,
  packageRequires,
  packageLimits,
  identityOfAnother,
  identityUnproved,
  wrongKind,
  twoForOne,
  twoWaysAtOnce,
  missingPartition,
  filesNotReachable,
  imageTooLarge,
  imageDamaged,
  ({ phone }) => restoringBattery(phone.battery),
  ({ phone }) => weakerProof(phone),
  ({ phone, images }) =>
    archiveTools(
      phone,
      images.some(({ kind }) => kind === 'archive'),
    ),
  ({ phone, format, partitions }) => makerTools(phone, format ?? false, partitions),
  willWipe,
  encryptedUserData,
  rollbackIndex,
  versionCrossing,
  olderSystem,
  partOfBootChain,
  bootForecast,
  keepFirst,
  alreadyThere,
  otherSlot,
  provedLater,
  scratchCleared,
  firstStart,
];

/** What is worth saying while nothing is picked. */
const beforePicking: readonly RestoringCheck[] = [modeCannotWrite, bootloaderLocked, nothingPicked];
