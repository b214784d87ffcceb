import type { JobDraft } from '@keen-larder/contract/requests/jobs.ts';
import type { PracticeAction } from '@keen-larder/contract/requests/practice.ts';

/** What happened at the bench before the demo begins: to whom, so many days ago, for this reason, these roles. */
export interface Visit {
  readonly serial: string;
  readonly daysAgo: number;
  readonly purpose: string;
  readonly before?: readonly PracticeAction[];
  /** Where the phone is read; the keys lead there. */
  readonly mode: 'system' | 'recovery' | 'loader';
  readonly wants: (partition: { name: string; role: string }) => boolean;
  /** A job card is opened when it comes. */
  readonly card?: Pick<JobDraft, 'who' | 'complaint'> & Partial<JobDraft>;
  /** It is handed over afterwards. */
  readonly handsOver?: true;
}

/** A phone is brought, and started. */
export type Coming = Pick<Visit, 'serial' | 'before' | 'mode'>;

type Wanted = Parameters<Visit['wants']>[0];
const shared = ({ name }: Wanted) => name === 'shared-storage';
const asReceived = ({ role }: Wanted) => !['user-data', 'scratch', 'system'].includes(role);
const identityAndBoot = ({ role, name }: Wanted) =>
  role === 'identity' || (role === 'boot-chain' && !name.endsWith('_b'));

const everyPartition = ({ role }: Wanted) => role !== 'user-data' && role !== 'scratch';
const identityAndRadio = ({ role }: Wanted) => role === 'identity' || role === 'radio';
const identityAlone = ({ role }: Wanted) => role === 'identity';
const systemAndBoot = ({ role, name }: Wanted) => role === 'system' || name === 'boot';

/** It has been used for long when it comes. */
const inUse: readonly PracticeAction[] = [{ do: 'fill' }];
/** And by more than its owner. */
const inUseByOthers: readonly PracticeAction[] = [...inUse, { do: 'share' }];

/** Nine months; the Ringing hut's phone is rooted, gets another system, does not start with it one day, and is repaired. */
export const visits: readonly Visit[] = [
  {
    serial: 'TW3K-10482',
    daysAgo: 268,
    purpose: 'as received',
    before: inUseByOthers,
    mode: 'recovery',
    wants: asReceived,
  },
  { serial: 'MR2Q-44107', daysAgo: 251, purpose: 'as received', mode: 'loader', wants: everyPartition },
  { serial: 'TW3K-10482', daysAgo: 232, purpose: 'before update', mode: 'recovery', wants: identityAndBoot },
  {
    serial: 'TW3K-10482',
    daysAgo: 231,
    purpose: 'after update',
    before: [{ do: 'install', build: 'system-march' }],
    mode: 'recovery',
    wants: systemAndBoot,
  },
  {
    serial: 'TW3K-10517',
    daysAgo: 204,
    purpose: 'as received',
    before: inUse,
    mode: 'recovery',
    wants: asReceived,
  },
  {
    serial: 'TW5K-20316',
    daysAgo: 187,
    purpose: 'as received',
    before: inUse,
    mode: 'recovery',
    wants: identityAndBoot,
  },
  {
    ...{ serial: 'MRU4-51288', daysAgo: 163, purpose: 'before repair', mode: 'system', wants: shared },
    card: { who: 'Ferry kiosk', complaint: 'The screen has lines.', accessories: 'charger' },
    handsOver: true,
  },
  {
    serial: 'TW3K-10482',
    daysAgo: 151,
    purpose: 'before Estuary 10',
    before: [{ do: 'use', days: 5 }],
    mode: 'recovery',
    wants: identityAndRadio,
  },
  {
    serial: 'TW3K-10482',
    daysAgo: 150,
    purpose: 'with Estuary 10',
    before: [{ do: 'install', build: 'system-estuary' }],
    mode: 'recovery',
    wants: systemAndBoot,
  },
  { serial: 'MS10-70055', daysAgo: 118, purpose: 'before repair', mode: 'recovery', wants: asReceived },
  { serial: 'TW5K-20316', daysAgo: 112, purpose: 'monthly', mode: 'recovery', wants: identityAlone },
  {
    serial: 'TW3K-10482',
    daysAgo: 104,
    purpose: 'as brought in',
    before: [{ do: 'break', build: 'wrong-kernel' }],
    mode: 'recovery',
    wants: identityAndBoot,
    card: {
      ...{ who: 'Ringing hut', complaint: 'It restarts since somebody flashed a kernel onto it.' },
      arrival: 'a scratch on the back',
    },
  },
  { serial: 'MR2Q-44107', daysAgo: 97, purpose: 'before update', mode: 'loader', wants: identityAndBoot },
  {
    serial: 'TW3K-10482',
    daysAgo: 88,
    purpose: 'after repair',
    before: [{ do: 'install', build: 'system-estuary' }],
    mode: 'recovery',
    wants: systemAndBoot,
    handsOver: true,
  },
  {
    serial: 'TW3K-10482',
    daysAgo: 33,
    purpose: 'monthly',
    before: [{ do: 'use' }, { do: 'use' }],
    mode: 'recovery',
    wants: identityAndRadio,
  },
  { serial: 'TW3K-10517', daysAgo: 26, purpose: 'monthly', mode: 'recovery', wants: identityAndRadio },
  { serial: 'TW5K-20316', daysAgo: 12, purpose: 'weekly', mode: 'recovery', wants: identityAlone },
];
