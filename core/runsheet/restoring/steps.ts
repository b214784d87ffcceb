import type { PhoneMode } from '../../phone/modes.ts';
import { splitSlot } from '../../phone/roles.ts';
import type { Step } from '../check.ts';
import type { RestoringFacts, RestoringImage } from './facts.ts';

/**
 * A run that breaks off half-way leaves the phone reachable: what only the system needs is written first,
 * then what starts it, then recovery, then what starts those, and what says which slot starts last of all.
 */
function rank({ role, onto, kind }: RestoringImage): number {
  // The apps' files, then what lies beside them.
  if (kind === 'archive') return onto === 'userdata-files' ? -2 : -1;
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

/**
 * Another system under user data that stays, or files put back under a system: what was translated for the one
 * is of no use to the other.
 */
export function clearsCaches({ images, phone, partitions }: RestoringFacts): boolean {
  if (phone.mode !== 'recovery' || images.some(({ onto }) => onto === 'userdata')) return false;
  const isReachable = partitions.some(({ archive }) => archive);
  return images.some(({ kind, role }) => kind === 'archive' || (isReachable && role === 'system'));
}

/** Every step of the run, in order. @param images in the order in which they are written */
export function restoringSteps(images: readonly RestoringImage[], facts: RestoringFacts): Step[] {
  const { phone, restartAfter, activate, knowsSlot = false, format } = facts;
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
  const compared = phone.proof === 'second reading' ? 'a second reading' : 'the phone’s digest';
  const from = ({ partition, onto }: RestoringImage) => (partition === onto ? '' : ` from ${partition}`);
  const switching: Step[] = activate
    ? [{ kind: 'activate', text: `Make slot ${activate} the one that starts`, slot: activate, bytes: 0 }]
    : [];
  return [
    ...each('verify', ({ partition }) => `Verify the kept image of ${partition}`),
    ...(format && images.some(({ kind }) => kind === 'archive')
      ? [{ kind: 'format' as const, text: 'Format user data', bytes: 0 }]
      : []),
    ...each('write', (image) =>
      image.kind === 'archive'
        ? `Unpack ${image.onto} and compare ${compared} of every file`
        : later
          ? `Flash ${image.onto}${from(image)}`
          : `Write ${image.onto}${from(image)} and compare ${compared}`,
    ),
    ...(clearsCaches({ ...facts, images })
      ? [{ kind: 'clear' as const, text: 'Clear code caches', bytes: 0 }]
      : []),
    ...switching,
    ...(later && images.length > 0
      ? [restart('recovery'), ...each('prove', ({ onto }) => `Compare the phone’s digest of ${onto}`)]
      : []),
    ...(restartAfter
      ? [
          restart('system'),
          { kind: 'watch' as const, text: 'Watch the phone start', bytes: 0 },
          ...(images.length > 0 || (activate !== undefined && knowsSlot)
            ? [{ kind: 'compare' as const, text: 'Compare the phone with what was kept', bytes: 0 }]
            : []),
        ]
      : []),
  ];
}
