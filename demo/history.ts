import { open, readdir } from 'node:fs/promises';
import { join } from 'node:path';
import pino from 'pino';
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
import { addressesOf, type Standins } from './standins.ts';
import { visits, type Coming, type Visit } from './visits.ts';

const day = 86_400_000;

/** So many of the newest sets have been verified. */
const verifiedSets = 4;

/** From when on there is firmware from files, and a copy off-site. */
const firmwareDaysAgo = 130;
const offSiteDaysAgo = 180;

/** So many phones are brought before it is their turn. */
const preparedAhead = 3;

/** Whose apps and records are copied, and when. */
const copied = 'TW5K-20316';
const copyingDaysAgo = 9;
/** Of its apps. */
const copiedApps = 9;

/** Sets that somebody wants to keep whatever the rules say. */
const pinned = /before update|before repair/;

/** Apps, firmware, off-site: what is told besides. */
const besideVisits = 3;

/** Opens the demo's copy off-site. */
export const demoPassphrase = 'quinces in the dark cellar';

/** How the phones stand when the demo begins. */
const now: readonly { readonly serial: string; readonly action: PracticeAction }[] = [
  { serial: 'MR2Q-44107', action: { do: 'break', build: 'half-firmware' } },
];

interface History {
  /** Of the new larder. */
  readonly home: string;
  /** They allow each computer that asks; they are ended once no phone is needed any more. */
  readonly standins: Standins;
  /** By serial. */
  readonly nicknames: Readonly<Record<string, string>>;
  readonly bucket: StandInBucket;
  /** What is done next. */
  readonly told: (done: number, of: number, what: string) => void;
  /** The phones' flashes are as the demo begins with them, and nobody has them open. */
  readonly onPhonesDone: () => void;
}

/** Fills a new larder by running the real imaging against the simulated phones with the clock set back. */
export async function makeHistory(history: History): Promise<void> {
  const { home, standins, nicknames, bucket, told, onPhonesDone } = history;
  const of = visits.length + besideVisits;
  let done = 0;
  const next = (what: string) => told(++done, of, what);
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
    const prepare = async ({ serial, before, mode }: Coming) => {
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
      if (!before && link?.mode === mode) return;
      await act(serial, { do: 'keys', into: mode });
      await newLink(app, serial, mode, link);
    };
    const comings: readonly Coming[] = [...visits, { serial: copied, mode: 'system' }];
    /** Of each phone the next time it comes: it starts while others are imaged. */
    const prepared = new Map<string, Promise<void>>();
    const prepareNext = (serial: string, after: number) => {
      const coming = comings.slice(after).find((each) => each.serial === serial);
      if (coming) prepared.set(serial, alongside(prepare(coming)));
    };
    const turnTo = (day: number) => {
      daysAgo = day;
      since = Date.now();
    };
    let firmware: Promise<void> | undefined;
    let offSite: Promise<void> | undefined;
    for (const [i, visit] of visits.entries()) {
      next(`${nicknames[visit.serial]}, ${visit.purpose}`);
      // Not all at once: they would hold each other up.
      for (const { serial } of comings.slice(i, i + preparedAhead))
        if (!prepared.has(serial)) prepareNext(serial, i);
      await prepared.get(visit.serial);
      turnTo(visit.daysAgo);
      if (visit.card) openCard(app, visit.serial, visit.card);
      await keep(app, visit.serial, visit, clock);
      const card = visit.handsOver && openCardOf(app, visit.serial);
      if (card) app.jobs.change(card.id, { stage: 'handed over' });
      prepareNext(visit.serial, i + 1);
      // What needs no phone goes on beside those that start.
      if (visit.daysAgo < firmwareDaysAgo) firmware ??= alongside(importFirmware(app, home));
      if (visit.daysAgo < offSiteDaysAgo) offSite ??= alongside(setUpOffSite(app, bucket));
    }
    next(`apps and records of ${nicknames[copied]}`);
    await prepared.get(copied);
    turnTo(copyingDaysAgo);
    await copyApps(app, copied);
    await act(copied, { do: 'use', days: 3 });
    for (const { serial, action } of now) await act(serial, action);
    await endProgram(standins.child);
    onPhonesDone();
    turnTo(3);
    next('firmware from files');
    await firmware;
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
    await offSite;
    await copyOffSite(app);
    await damageOneChunk(app);
    // Found, and repaired from off-site.
    await app.scrubber.readNow(true);
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

/** Somebody waits for it later, who is told when it failed. */
function alongside(work: Promise<void>): Promise<void> {
  work.catch(() => undefined);
  return work;
}

async function setUpOffSite(app: KeenLarder, { place }: StandInBucket): Promise<void> {
  await app.offsite.setUp({ place, passphrase: demoPassphrase, benchName: 'Front bench' });
  await copyOffSite(app);
}

async function copyOffSite(app: KeenLarder): Promise<void> {
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
