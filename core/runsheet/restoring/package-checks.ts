import type { PackageFacts } from '../../formats/package-metadata/package-metadata.ts';
import { splitSlot } from '../../phone/roles.ts';
import { listText, type Check } from '../check.ts';
import type { RestoringCheck, RestoringFacts, RestoringImage } from './facts.ts';

/** Which partition holds what a package may ask for a version of (AOSP, fastboot: `version-bootloader`, `version-baseband`). */
const heldBy: Readonly<Record<string, readonly string[]>> = {
  bootloader: ['bootloader', 'aboot', 'abl', 'lk', 'xbl'],
  baseband: ['radio', 'modem'],
};

const orText = (words: readonly string[]): string =>
  words.length <= 1 ? words.join('') : `${words.slice(0, -1).join(', ')} or ${words.at(-1)}`;

/** Packages of firmware that picked images came in, each once. */
function packagesOf(images: readonly RestoringImage[]): PackageFacts[] {
  const bySet = new Map(images.map(({ set }) => [set.setId, set.package]));
  return [...bySet.values()].filter((each) => each !== undefined);
}

/** Lays the devices that a package says it is for beside the phone's own name. */
export const packageDevice: RestoringCheck = ({ phone, images }) => {
  const id = 'package-device';
  return packagesOf(images).flatMap(({ devices }): Check[] => {
    if (devices.length === 0) return [];
    const isFor = `The package says that it is for ${orText(devices)}`;
    if (phone.device === undefined)
      return [
        {
          id,
          severity: 'note',
          title: 'Which device this is, is not known',
          sentence: `${isFor}; the phone does not tell its own name in ${phone.mode} mode.`,
        },
      ];
    return devices.includes(phone.device)
      ? [
          {
            id,
            severity: 'good',
            title: 'For this device by its package',
            sentence: `${isFor}; so this phone calls itself.`,
          },
        ]
      : [
          {
            id,
            severity: 'confirm',
            title: 'For another device by its package',
            sentence: `${isFor}; this phone calls itself ${phone.device}. Its own recovery would refuse it.`,
          },
        ];
  });
};

/** Lays the versions that a package asks for beside those of the phone. */
export const packageRequires: RestoringCheck = (facts) => {
  const id = 'package-requires' as const;
  const found = packagesOf(facts.images).flatMap(({ requires }) =>
    requires.map(({ what, versions }) => ({ what, ...asked(facts, what, versions) })),
  );
  const misfits = found.filter(({ severity }) => severity === 'confirm');
  const told = found.filter(({ severity }) => severity !== 'confirm');
  return [
    ...told.map(({ severity, title, sentence }) => ({ id, severity, title, sentence })),
    // One tick is for all of them.
    ...(misfits.length > 0
      ? [
          {
            id,
            severity: 'confirm' as const,
            title: `Another ${listText(misfits.map(({ what }) => what))} than the package asks for`,
            sentence: `${misfits.map(({ sentence }) => sentence).join(' ')} Put back what belongs to it first, or what is written now may not start.`,
          },
        ]
      : []),
  ];
};

/** One version that is asked for. */
function asked(
  { phone, images }: RestoringFacts,
  what: string,
  versions: readonly string[],
): Pick<Check, 'severity' | 'title' | 'sentence'> {
  const asks = `The package asks for ${what} ${orText(versions)}`;
  const goesAlong = images
    .filter(({ onto, set }) => set.package && heldBy[what]?.includes(splitSlot(onto).base))
    .map(({ onto }) => onto);
  if (goesAlong.length > 0)
    return {
      severity: 'note',
      title: `The ${what} goes along`,
      sentence: `${asks}, and ${listText(goesAlong)} ${goesAlong.length > 1 ? 'are' : 'is'} put back with it.`,
    };
  const here =
    what === 'bootloader' || what === 'baseband' ? phone.versions?.[what] : phone.variables?.[what];
  if (here === undefined)
    return {
      severity: 'note',
      title: `Which ${what} the phone has is not known`,
      sentence: `${asks}. In ${phone.mode} mode this phone does not tell; its bootloader may.`,
    };
  // A phone with two lines tells of its modem twice.
  return here.split(',').some((version) => versions.includes(version))
    ? { severity: 'good', title: `The ${what} fits`, sentence: `${asks}; that is what the phone has.` }
    : { severity: 'confirm', title: what, sentence: `${asks}; the phone has ${here}.` };
}

/** Says where a package is made to go with user data that are erased, or onto another build. */
export const packageLimits: RestoringCheck = ({ images, format }) =>
  packagesOf(images).flatMap(({ wipes, isIncremental, isDowngrade }): Check[] => {
    const isFresh = format === true || images.some(({ onto }) => onto === 'userdata');
    const sentences = [
      ...(wipes && !isFresh
        ? [
            `The package says that it erases user data${isDowngrade ? ', since it goes back to an older build' : ''}; this run leaves it as it is. The system may not read it, and restart over and over.`,
          ]
        : []),
      ...(isIncremental
        ? [
            'The package says that it changes another build: what came out of it may not be all that the build has.',
          ]
        : []),
    ];
    // One tick is for all of it.
    return sentences.length === 0
      ? []
      : [
          {
            id: 'package-limits',
            severity: 'confirm',
            title: 'Not all that the package is made to do',
            sentence: sentences.join(' '),
          },
        ];
  });
