import pino from 'pino';
import type { PracticeAction } from '@keen-larder/contract/requests.ts';
import { composeLabel } from '@keen-larder/core/larder/label.ts';
import { openKeenLarder, type KeenLarder } from '@keen-larder/server/keen-larder.ts';
import type { PhoneLink } from '@keen-larder/server/links/phone-link.ts';
import { startImaging } from '@keen-larder/server/runs/imaging.ts';
import { startVerifying } from '@keen-larder/server/runs/verifying.ts';
import { endProgram } from './children.ts';
import { startStandins } from './standins.ts';

const day = 86_400_000;

/** What happened at the bench before the demo begins: so many days ago, for this reason, these roles. */
interface Visit {
  readonly daysAgo: number;
  readonly purpose: string;
  readonly before?: readonly Partial<PracticeAction>[];
  readonly wants: (partition: { name: string; role: string }) => boolean;
}

const visits: readonly Visit[] = [
  {
    daysAgo: 153,
    purpose: 'as received',
    wants: ({ role }) => !['user-data', 'scratch', 'system'].includes(role),
  },
  {
    daysAgo: 97,
    purpose: 'before update',
    wants: ({ role }) => role === 'boot-chain' || role === 'identity',
  },
  {
    daysAgo: 96,
    purpose: 'after update',
    before: [{ do: 'install', build: 'system-march' }],
    wants: ({ role, name }) => role === 'system' || name === 'boot',
  },
  {
    daysAgo: 33,
    purpose: 'weekly',
    before: [{ do: 'use' }, { do: 'use' }],
    wants: ({ role }) => role === 'identity' || role === 'radio',
  },
];

/**
 * Fills a new larder by running the real imaging against the simulated phones with the clock set back.
 * @param nicknames by serial
 */
export async function makeHistory(
  home: string,
  standinHome: string,
  nicknames: Readonly<Record<string, string>>,
): Promise<void> {
  const standins = await startStandins(standinHome, true);
  const startedAt = Date.now();
  let daysAgo = visits[0]!.daysAgo;
  // Ten in the morning at the workshop, and on from there as the work goes.
  const morning = new Date(new Date(startedAt).setHours(10, 4, 0, 0)).getTime();
  let since = startedAt;
  const now = () => morning - daysAgo * day + (Date.now() - since);
  const app = await openKeenLarder({
    home,
    addresses: standins.phones.map(({ adb }) => adb),
    nicknames,
    pollMs: 100,
    log: pino({ level: 'silent' }),
    now,
  });
  try {
    for (const { serial } of standins.phones) {
      const act = (action: Partial<PracticeAction>) =>
        fetch(`${standins.controlUrl}/phones/${serial}`, { method: 'POST', body: JSON.stringify(action) });
      for (const visit of visits) {
        daysAgo = visit.daysAgo;
        since = Date.now();
        for (const action of visit.before ?? []) await act(action);
        const before = linkOf(app, serial);
        await act({ do: 'keys', into: 'recovery' });
        await newRecovery(app, serial, before);
        await keep(app, serial, visit, now);
      }
      daysAgo = 3;
      since = Date.now();
      const small = app.larder.list().filter(({ bytes }) => bytes < 200 * 1024 * 1024);
      for (const { id } of small) await app.engine.ended(startVerifying(app, id).id);
    }
  } finally {
    await app.close();
    await endProgram(standins.child);
  }
}

async function keep(app: KeenLarder, serial: string, visit: Visit, now: () => number): Promise<void> {
  const { model, condition } = app.bench.facts(serial);
  const at = new Date(now());
  const run = await startImaging(app, serial, {
    picked: (await app.bench.partitions(serial)).filter(visit.wants).map(({ name }) => name),
    label: composeLabel({
      model,
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

/** Waits for a link into recovery that came up after `before`. */
async function newRecovery(app: KeenLarder, serial: string, before: PhoneLink | undefined): Promise<void> {
  const signal = AbortSignal.timeout(30_000);
  for (;;) {
    signal.throwIfAborted();
    const link = linkOf(app, serial);
    if (link && link !== before && link.mode === 'recovery') return;
    await new Promise((resolve) => setTimeout(resolve, 30));
  }
}

const linkOf = (app: KeenLarder, serial: string): PhoneLink | undefined =>
  app.bench.list().some((phone) => phone.serial === serial && phone.presence === 'here')
    ? app.bench.link(serial)
    : undefined;
