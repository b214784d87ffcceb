import { open, readdir } from 'node:fs/promises';
import { join } from 'node:path';
import pino from 'pino';
import type { JobDraft } from '@keen-larder/contract/requests/jobs.ts';
import type { PracticeAction } from '@keen-larder/contract/requests/practice.ts';
import { isOpen, usualAgreement } from '@keen-larder/core/jobs/stages.ts';
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
import { importFirmware } from './firmware.ts';
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
  /** A job card is opened when it comes. */
  readonly card?: Pick<JobDraft, 'who' | 'complaint'> & Partial<JobDraft>;
  /** It is handed over afterwards. */
  readonly handsOver?: true;
}

/** So many of the newest sets have been verified. */
const verifiedSets = 4;

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

/** Nine months; the Ringing hut's phone is rooted, gets another system, does not start with it one day, and is repaired. */
const visits: readonly Visit[] = [
  {
    serial: 'TW3K-10482',
    daysAgo: 268,
    purpose: 'as received',
    before: inUse,
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
  {
    serial: 'TW3K-10482',
    daysAgo: 88,
    purpose: 'after repair',
    before: [{ do: 'install', build: 'system-estuary' }],
    mode: 'recovery',
    wants: systemAndBoot,
    handsOver: true,
  },
  { serial: 'MR2Q-44107', daysAgo: 71, purpose: 'before update', mode: 'loader', wants: identityAndBoot },
  { serial: 'TW5K-20316', daysAgo: 54, purpose: 'monthly', mode: 'recovery', wants: identityAlone },
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

/** Whose apps and records are copied, and when. */
const copied = 'TW5K-20316';
const copyingDaysAgo = 9;
/** Of its apps. */
const copiedApps = 9;

/** Sets that somebody wants to keep whatever the rules say. */
const pinned = /before update|before repair/;

/** Flashes, apps, firmware, off-site: what is told besides. */
const besideVisits = 4;

/** Opens the demo's copy off-site. */
export const demoPassphrase = 'quinces in the dark cellar';

/** How the phones stand when the demo begins. */
const now: readonly { readonly serial: string; readonly action: PracticeAction }[] = [
  { serial: 'MR2Q-44107', action: { do: 'break', build: 'half-firmware' } },
];

/**
 * Fills a new larder by running the real imaging against the simulated phones with the clock set back.
 * @param nicknames by serial
 * @param told what is done next
 */
export async function makeHistory(
  home: string,
  standinHome: string,
  nicknames: Readonly<Record<string, string>>,
  bucket: StandInBucket,
  told: (done: number, of: number, what: string) => void,
): Promise<void> {
  const of = visits.length + besideVisits;
  let done = 0;
  const next = (what: string) => told(++done, of, what);
  next('the flashes of six phones');
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
    const act = async (serial: string, action: PracticeAction) => {
      const body = JSON.stringify(action);
      const answer = await fetch(`${standins.controlUrl}/phones/${serial}`, { method: 'POST', body });
      if (!answer.ok) throw new Error(`the demo’s history could not be made: ${await answer.text()}`);
    };
    const prepare = async ({ serial, before, mode }: Visit) => {
      for (const action of before ?? []) {
        const before = linkOf(app, serial);
        await act(serial, action);
        if (action.do === 'break') await until(() => app.bench.view(serial).presence === 'looping');
        if (action.do !== 'install') continue;
        await newLink(app, serial, 'system', before);
        // Its system has come up entirely.
        await until(() => app.bench.view(serial).facts?.condition.starts !== false);
      }
      const link = linkOf(app, serial);
      await act(serial, { do: 'keys', into: mode });
      await newLink(app, serial, mode, link);
    };
    // One phone starts while another is imaged.
    let prepared = prepare(visits[0]!);
    for (const [i, visit] of visits.entries()) {
      next(`${nicknames[visit.serial]}, ${visit.purpose}`);
      await prepared;
      ({ daysAgo } = visit);
      since = Date.now();
      const later = visits[i + 1];
      const isOther = later && later.serial !== visit.serial;
      if (isOther) prepared = prepare(later);
      if (visit.card) openCard(app, visit.serial, visit.card);
      await keep(app, visit.serial, visit, clock);
      const card = visit.handsOver && openCardOf(app, visit.serial);
      if (card) app.jobs.change(card.id, { stage: 'handed over' });
      if (later && !isOther) prepared = prepare(later);
    }
    next(`apps and records of ${nicknames[copied]}`);
    daysAgo = copyingDaysAgo;
    since = Date.now();
    await prepare({ ...visits[0]!, serial: copied, before: [], mode: 'system' });
    await copyApps(app, copied);
    await act(copied, { do: 'use', days: 3 });
    daysAgo = 3;
    since = Date.now();
    next('firmware from files');
    await importFirmware(app, home);
    // Some, so that the demo shows both.
    const some = app.larder.list().slice(0, verifiedSets);
    const ids = some.map(({ id }) => id);
    if (ids.length > 0) await app.engine.ended(startVerifying(app, ids).id);
    for (const { id } of app.larder.list().filter(({ label }) => pinned.test(label)))
      await app.larder.change(id, { pinned: true });
    openCard(app, 'MR2Q-44107', {
      ...{ who: 'Boat shed', complaint: 'An update broke off; it does not start any more.' },
      ...{ arrival: 'battery at 20 %', accessories: 'none' },
    });
    next('a copy off-site, and a damaged disk');
    await copyOffSite(app, bucket);
    await damageOneChunk(app);
    // Found, and repaired from off-site.
    await app.scrubber.readNow(true);
    for (const { serial, action } of now) await act(serial, action);
  } finally {
    await app.close();
    await endProgram(standins.child);
  }
}

/** Apps of the owner's and personal records, as before work that may wipe them. */
async function copyApps(app: KeenLarder, serial: string): Promise<void> {
  const own = (await app.appSheets.views(serial)).filter(({ installed }) => installed?.isBuiltIn === false);
  // What has most data; some were never copied.
  const most = own.sort((a, b) => (b.installed?.dataBytes ?? 0) - (a.installed?.dataBytes ?? 0));
  const apps = most.slice(0, copiedApps).map(({ package: name }) => ({
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
  const ended = await app.engine.ended((await startCopyingOffSite(app, 'bucket')).id);
  if (ended.state !== 'done') throw new Error(`the demo’s history could not be made: ${ended.outcome}`);
}

function openCard(app: KeenLarder, serial: string, card: NonNullable<Visit['card']>): void {
  const blank = { contact: '', arrival: '', accessories: '', agreed: { ...usualAgreement } };
  app.jobs.open({ ...blank, ...card, serials: [serial] });
}

const openCardOf = (app: KeenLarder, serial: string) =>
  app.jobs.list().find((job) => isOpen(job.stage) && job.phones.some((phone) => phone.serial === serial));

/** A disk that ages: two bytes of a pack are not as they were. */
async function damageOneChunk({ larder: { shelf } }: KeenLarder): Promise<void> {
  const [pack] = (await readdir(shelf.packFolder)).sort();
  const file = await open(join(shelf.packFolder, pack!), 'r+');
  await file.write(Buffer.from([0x5a, 0xa5]), 0, 2, 100_000);
  await file.close();
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
    confirmed: ['identity-left-out', 'battery', 'live-file-system'],
  });
  const ended = await app.engine.ended(run.id);
  if (ended.state !== 'done') throw new Error(`the demo’s history could not be made: ${ended.outcome}`);
}

async function until(isSo: () => boolean): Promise<void> {
  const signal = AbortSignal.timeout(30_000);
  while (!isSo()) {
    signal.throwIfAborted();
    await new Promise((resolve) => setTimeout(resolve, 30));
  }
}

/** Waits for a link into a mode that came up after `before`. */
const newLink = (
  app: KeenLarder,
  serial: string,
  mode: Visit['mode'],
  before: PhoneLink | undefined,
): Promise<void> =>
  until(() => {
    const link = linkOf(app, serial);
    return link !== undefined && link !== before && link.mode === mode;
  });

const linkOf = (app: KeenLarder, serial: string): PhoneLink | undefined =>
  app.bench.list().some((phone) => phone.serial === serial && phone.presence === 'here')
    ? app.bench.link(serial)
    : undefined;
