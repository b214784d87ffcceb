import type { Slot } from '../boot/boot.ts';
import { archiveOf } from '../phone/archives.ts';
import type { PhoneMode } from '../phone/modes.ts';
import type { Step } from './check.ts';

/** What a step changes on the phone. */
export type Effect =
  | { readonly does: 'overwrites'; readonly partition: string }
  /** Everything in a folder goes, but for some names in it. */
  | { readonly does: 'empties'; readonly folder: string; readonly but: readonly string[] }
  /** Files go into a folder where there are none of the same names. */
  | { readonly does: 'adds'; readonly folder: string }
  /** Files go into a folder, over those of the same names. */
  | { readonly does: 'unpacks'; readonly folder: string }
  /** All user data goes, shared storage included. */
  | { readonly does: 'wipes user data' }
  | { readonly does: 'clears caches' }
  | { readonly does: 'switches slot'; readonly slot: Slot | undefined }
  | { readonly does: 'locks' | 'unlocks' }
  | { readonly does: 'restarts'; readonly into: PhoneMode | undefined }
  | {
      readonly does: 'installs' | 'replaces data of' | 'removes' | 'changes';
      readonly app: string | undefined;
    };

const sharedFolder = '/data/media/0';
const none = (): readonly Effect[] => [];

/** The user data of one way is the other's as well. */
function writes({ partition = '' }: Step): readonly Effect[] {
  const archive = archiveOf(partition);
  if (!archive) {
    return partition === 'userdata'
      ? [{ does: 'overwrites', partition }, { does: 'wipes user data' }]
      : [{ does: 'overwrites', partition }];
  }
  const { folder, leaveOut, replacesFolder } = archive;
  const unpacks: Effect = { does: 'unpacks', folder };
  return replacesFolder ? [{ does: 'empties', folder, but: leaveOut }, unpacks] : [unpacks];
}

/** What each kind of step changes: the one place that sheets, arming and runs have it from. */
const effects: Readonly<Record<Step['kind'], (step: Step) => readonly Effect[]>> = {
  read: none,
  verify: none,
  prove: none,
  watch: none,
  compare: none,
  copy: none,
  write: writes,
  format: () => [{ does: 'wipes user data' }],
  clear: () => [{ does: 'clears caches' }],
  activate: ({ slot }) => [{ does: 'switches slot', slot }],
  lock: () => [{ does: 'locks' }, { does: 'wipes user data' }],
  unlock: () => [{ does: 'unlocks' }, { does: 'wipes user data' }],
  restart: ({ into }) => [{ does: 'restarts', into }],
  install: ({ app }) => [{ does: 'installs', app }],
  'put-data': ({ app }) => [{ does: 'replaces data of', app }],
  'hand-over': () => [{ does: 'replaces data of', app: undefined }],
  'put-back': ({ app }) => [
    { does: 'installs', app },
    { does: 'replaces data of', app },
  ],
  remove: ({ app }) => [{ does: 'removes', app }],
  'hand-records': () => [{ does: 'changes', app: undefined }],
  'set-ids': () => [{ does: 'changes', app: undefined }],
  'prove-ids': none,
  'add-shared': () => [{ does: 'adds', folder: sharedFolder }],
  'put-shared': () => [{ does: 'unpacks', folder: sharedFolder }],
  'set-state': ({ app }) => [{ does: 'changes', app }],
};

export const effectsOf = (step: Step): readonly Effect[] => effects[step.kind](step);

const destructive: readonly Effect['does'][] = [
  'overwrites',
  'empties',
  'unpacks',
  'wipes user data',
  'switches slot',
  'locks',
  'unlocks',
];

/** Whether what a step does cannot simply be taken back: it is armed. */
export const isDestructive = (step: Step): boolean =>
  effectsOf(step).some(({ does }) => destructive.includes(does));

/** What of the owner's data is lost by some steps. */
export type DataLost = 'nothing' | 'same names' | 'apps' | 'all';

export function dataLostBy(steps: readonly Step[]): DataLost {
  const all = steps.flatMap(effectsOf);
  if (all.some(({ does }) => does === 'wipes user data')) return 'all';
  if (all.some(({ does }) => does === 'empties')) return 'apps';
  return all.some(({ does }) => does === 'unpacks') ? 'same names' : 'nothing';
}
