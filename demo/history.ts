import pino from 'pino';
import type { PracticeAction } from '@keen-larder/contract/requests/practice.ts';
import { composeLabel } from '@keen-larder/core/larder/label.ts';
import { roleOf } from '@keen-larder/core/phone/roles.ts';
import { openKeenLarder, type KeenLarder } from '@keen-larder/server/keen-larder.ts';
import type { PhoneLink } from '@keen-larder/server/links/phone-link.ts';
import type { StandInBucket } from '@keen-larder/standin/bucket.ts';
import { startCopyingOffSite } from '@keen-larder/server/runs/files/copying-off-site.ts';
import type { PartKind } from '@keen-larder/core/apps/copies.ts';
import type { RecordKindId } from '@keen-larder/core/records/kinds.ts';
import { startCopying } from '@keen-larder/server/runs/apps/copying.ts';
import { startKeepingRecords } from '@keen-larder/server/runs/records/keeping-records.ts';
import { startImaging } from '@keen-larder/server/runs/imaging/imaging.ts';
import { startVerifying } from '@keen-larder/server/runs/files/verifying.ts';
import { endProgram } from './children.ts';
import { addressesOf, startStandins } from './standins.ts';

const day = 86_400_000;

/** What happened at the bench before the demo begins: to whom, so many days ago, for this reason, these roles. */
interface Visit {
  readonly serial: string;
  readonly daysAgo: number;
  readonly purpose: string;
  readonly before?: readonly PracticeAction[];
  /** Where the phone is read; the keys lead there. */
  readonly mode: 'system' | 'recovery' | 'loader';
  readonly wants: (partition: { name: string; role: string }) => boolean;
}

/** So many of the newest sets have been verified. */
const verifiedSets = 4;

type Wanted = Parameters<Visit['wants']>[0];
const asReceived = ({ role }: Wanted) => !['user-data', 'scratch', 'system'].includes(role);
const identityAndBoot = ({ role, name }: Wanted) =>
  role === 'identity' || (role === 'boot-chain' && !name.endsWith('_b'));

const visits: readonly Visit[] = [
  {
    serial: 'TW3K-10482',
    daysAgo: 153,
    purpose: 'as received',
    mode: 'recovery',
    wants: asReceived,
  },
  {
    serial: 'MR2Q-44107',
    daysAgo: 131,
    purpose: 'as received',
    mode: 'loader',
    wants: ({ role }) => role !== 'user-data' && role !== 'scratch',
  },
  {
    serial: 'TW3K-10482',
    daysAgo: 97,
    purpose: 'before update',
    mode: 'recovery',
    wants: ({ role }) => role === 'boot-chain' || role === 'identity',
  },
  {
    serial: 'TW3K-10482',
    daysAgo: 96,
    purpose: 'after update',
    before: [{ do: 'install', build: 'system-march' }],
    mode: 'recovery',
    wants: ({ role, name }) => role === 'system' || name === 'boot',
  },
  { serial: 'TW5K-20316', daysAgo: 64, purpose: 'as received', mode: 'recovery', wants: identityAndBoot },
  { serial: 'MS10-70055', daysAgo: 47, purpose: 'before repair', mode: 'recovery', wants: asReceived },
  {
    serial: 'TW3K-10482',
    daysAgo: 33,
    purpose: 'weekly',
    before: [{ do: 'use' }, { do: 'use' }],
    mode: 'recovery',
    wants: ({ role }) => role === 'identity' || role === 'radio',
  },
  {
    serial: 'TW5K-20316',
    daysAgo: 12,
    purpose: 'weekly',
    mode: 'recovery',
    wants: ({ role }) => role === 'identity',
  },
];

/** Whose apps and records are copied, and when. */
const copied = 'TW5K-20316';
const copyingDaysAgo = 9;

/** Sets that somebody wants to keep whatever the rules say. */
const pinned = /before update|before repair/;

/** Opens the demo's copy off-site. */
export const demoPassphrase = 'quinces in the dark cellar';

/** How the phones stand when the demo begins. */
const now: readonly { readonly serial: string; readonly action: PracticeAction }[] = [
  { serial: 'MR2Q-44107', action: { do: 'break', build: 'half-firmware' } },
];

/**
 * Fills a new larder by running the real imaging against the simulated phones with the clock set back.
 * @param nicknames by serial
 */
export async function makeHistory(
  home: string,
  standinHome: string,
  nicknames: Readonly<Record<string, string>>,
  bucket: StandInBucket,
): Promise<void> {
  const standins = await startStandins(standinHome, true, ['--trusting']);
  const startedAt = Date.now();
  let { daysAgo } = visits[0]!;
  // Ten in the morning at the workshop, and on from there as the work goes.
  const morning = new Date(new Date(startedAt).setHours(10, 4, 0, 0)).getTime();
  let since = startedAt;
  const clock = () => morning - daysAgo * day + (Date.now() - since);
  const app = await openKeenLarder({
    home,
    addresses: standins.phones.flatMap(addressesOf),
    nicknames,
    pollMs: 100,
    log: pino({ level: 'silent' }),
    now: clock,
  });
  try {
    const act = (serial: string, action: PracticeAction) =>
      fetch(`${standins.controlUrl}/phones/${serial}`, { method: 'POST', body: JSON.stringify(action) });
    const prepare = async ({ serial, before, mode }: Visit) => {
      for (const action of before ?? []) await act(serial, action);
      const link = linkOf(app, serial);
      await act(serial, { do: 'keys', into: mode });
      await newLink(app, serial, mode, link);
    };
    // One phone starts while another is imaged.
    let prepared = prepare(visits[0]!);
    for (const [i, visit] of visits.entries()) {
      await prepared;
      ({ daysAgo } = visit);
      since = Date.now();
      const next = visits[i + 1];
      const isOther = next && next.serial !== visit.serial;
      if (isOther) prepared = prepare(next);
      await keep(app, visit.serial, visit, clock);
      if (next && !isOther) prepared = prepare(next);
    }
    daysAgo = copyingDaysAgo;
    since = Date.now();
    await prepare({ ...visits[0]!, serial: copied, before: [], mode: 'system' });
    await copyApps(app, copied);
    await act(copied, { do: 'use', days: 3 });
    daysAgo = 3;
    since = Date.now();
    // Some, so that the demo shows both.
    const some = app.larder.list().slice(0, verifiedSets);
    const ids = some.map(({ id }) => id);
    if (ids.length > 0) await app.engine.ended(startVerifying(app, ids).id);
    for (const { id } of app.larder.list().filter(({ label }) => pinned.test(label)))
      await app.larder.change(id, { pinned: true });
    await copyOffSite(app, bucket);
    for (const { serial, action } of now) await act(serial, action);
  } finally {
    await app.close();
    await endProgram(standins.child);
  }
}

/** Apps of the owner's and personal records, as before work that may wipe them. */
async function copyApps(app: KeenLarder, serial: string): Promise<void> {
  const own = (await app.appSheets.views(serial)).filter(({ installed }) => installed?.isBuiltIn === false);
  const apps = own.map(({ package: name }) => ({
    package: name,
    parts: ['program', 'data', 'device-data'] satisfies PartKind[],
  }));
  const confirmed = ['battery'];
  const kinds = ['wifi', 'contacts', 'calendar', 'messages'] satisfies RecordKindId[];
  for (const { id } of [
    await startCopying(app, serial, { apps, confirmed }),
    await startKeepingRecords(app, serial, { kinds, confirmed }),
  ]) {
    const ended = await app.engine.ended(id);
    if (ended.state !== 'done') throw new Error(`the demo’s history could not be made: ${ended.outcome}`);
  }
}

async function copyOffSite(app: KeenLarder, { place }: StandInBucket): Promise<void> {
  const start = { place, passphrase: demoPassphrase, benchName: 'Front bench' };
  await app.offsite.setUp(start);
  const ended = await app.engine.ended((await startCopyingOffSite(app)).id);
  if (ended.state !== 'done') throw new Error(`the demo’s history could not be made: ${ended.outcome}`);
}

async function keep(app: KeenLarder, serial: string, visit: Visit, clock: () => number): Promise<void> {
  const { model, condition } = app.bench.facts(serial);
  const at = new Date(clock());
  const picked = (await app.bench.partitions(serial)).filter(visit.wants).map(({ name }) => name);
  const run = await startImaging(app, serial, {
    picked,
    // System is mostly free space.
    usedOnly: picked.filter((name) => roleOf(name) === 'system'),
    label: composeLabel({
      model,
      nickname: app.bench.view(serial).nickname,
      serial,
      condition,
      purpose: visit.purpose,
      at,
      utcOffsetMinutes: -at.getTimezoneOffset(),
    }),
    confirmed: ['identity-left-out', 'battery'],
  });
  const ended = await app.engine.ended(run.id);
  if (ended.state !== 'done') throw new Error(`the demo’s history could not be made: ${ended.outcome}`);
}

/** Waits for a link into a mode that came up after `before`. */
async function newLink(
  app: KeenLarder,
  serial: string,
  mode: Visit['mode'],
  before: PhoneLink | undefined,
): Promise<void> {
  const signal = AbortSignal.timeout(30_000);
  for (;;) {
    signal.throwIfAborted();
    const link = linkOf(app, serial);
    if (link && link !== before && link.mode === mode) return;
    await new Promise((resolve) => setTimeout(resolve, 30));
  }
}

const linkOf = (app: KeenLarder, serial: string): PhoneLink | undefined =>
  app.bench.list().some((phone) => phone.serial === serial && phone.presence === 'here')
    ? app.bench.link(serial)
    : undefined;
