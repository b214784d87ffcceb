import { abilitiesOf } from '../../phone/modes.ts';
import { batteryFor, restoringBattery } from '../battery.ts';
import { bySeverity, stop, type RunSheet } from '../check.ts';
import type { RestoringCheck, RestoringFacts } from './facts.ts';
import {
  archivePicked,
  encryptedUserData,
  identityOfAnother,
  imageDamaged,
  imageNotComplete,
  imageTooLarge,
  missingPartition,
  targets,
  twoForOne,
  wrongModel,
} from './image-checks.ts';
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
import { inWritingOrder, restoringSteps } from './steps.ts';

export type { RestoringFacts, RestoringImage, RollbackFacts, SetFacts } from './facts.ts';

/** A restore takes up to a third longer than reading did (common practice, no published source). */
const writeFactor = 4 / 3;

/** The plan of a restoring run: every image is verified, then each is written and proved in turn. */
export function restoringSheet(facts: RestoringFacts): RunSheet {
  const images = inWritingOrder(facts.images);
  const bytes = images.reduce((sum, each) => sum + each.bytes, 0);
  const expectedMs = (bytes / facts.bytesPerSecond) * 1000 * writeFactor;
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

/** Asks before user data is replaced, and says when what is lost was last kept. */
const willWipe: RestoringCheck = ({ images, userDataKept }) =>
  targets(images.filter(({ role }) => role === 'user-data')).length === 0
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

const checks: readonly RestoringCheck[] = [
  modeCannotWrite,
  bootloaderLocked,
  wrongModel,
  imageNotComplete,
  identityOfAnother,
  twoForOne,
  missingPartition,
  archivePicked,
  imageTooLarge,
  imageDamaged,
  ({ phone }) => restoringBattery(phone.battery),
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
  firstStart,
];

/** What is worth saying while nothing is picked. */
const beforePicking: readonly RestoringCheck[] = [modeCannotWrite, bootloaderLocked, nothingPicked];
