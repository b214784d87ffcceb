import type { PhoneMode } from '../../phone/modes.ts';
import { splitSlot } from '../../phone/roles.ts';
import type { Step } from '../check.ts';
import type { RestoringFacts, RestoringImage } from './facts.ts';

/**
 * A run that breaks off half-way leaves the phone reachable: what only the system needs is written first,
 * then what starts it, then recovery, then what starts those, and what says which slot starts last of all.
 */
function rank({ role, onto }: RestoringImage): number {
  const { base } = splitSlot(onto);
  if (base === 'misc') return 4;
  if (role === 'early-loader') return 3;
  if (base === 'recovery') return 2;
  return role === 'boot-chain' ? 1 : 0;
}

/** The images in the order in which they are written. */
export const inWritingOrder = (images: readonly RestoringImage[]): RestoringImage[] =>
  [...images].sort((a, b) => rank(a) - rank(b));

/** A bootloader takes images and reads nothing out: what it was given is proved in recovery. */
export const provesLater = (mode: PhoneMode): boolean => mode === 'bootloader';

/** Every step of the run, in order. @param images in the order in which they are written */
export function restoringSteps(
  images: readonly RestoringImage[],
  { phone, restartAfter, activate }: RestoringFacts,
): Step[] {
  const each = (kind: Step['kind'], text: (image: RestoringImage) => string) =>
    images.map((image): Step => {
      const { partition, onto, bytes, set } = image;
      return { kind, text: text(image), partition: onto, bytes, source: { setId: set.setId, partition } };
    });
  const restart = (into: PhoneMode): Step => ({
    kind: 'restart',
    text: `Restart into ${into}`,
    into,
    bytes: 0,
  });
  const later = provesLater(phone.mode);
  const from = ({ partition, onto }: RestoringImage) => (partition === onto ? '' : ` from ${partition}`);
  const switching: Step[] = activate
    ? [{ kind: 'activate', text: `Make slot ${activate} the one that starts`, slot: activate, bytes: 0 }]
    : [];
  return [
    ...each('verify', ({ partition }) => `Verify the kept image of ${partition}`),
    ...each('write', (image) =>
      later
        ? `Flash ${image.onto}${from(image)}`
        : `Write ${image.onto}${from(image)} and compare the phone’s digest`,
    ),
    ...switching,
    ...(later && images.length > 0
      ? [restart('recovery'), ...each('prove', ({ onto }) => `Compare the phone’s digest of ${onto}`)]
      : []),
    ...(restartAfter
      ? [
          restart('system'),
          { kind: 'watch' as const, text: 'Watch the phone start', bytes: 0 },
          ...(images.length > 0
            ? [{ kind: 'compare' as const, text: 'Compare the phone with what was kept', bytes: 0 }]
            : []),
        ]
      : []),
  ];
}
