// A phone that falls silent, cable in, while a run of each kind that works with phones is under way.
import { join } from 'node:path';
import { afterAll, beforeAll, expect, it } from 'vitest';
import type { RunView } from '@keen-larder/contract/runs.ts';
import type { PartKind } from '@keen-larder/core/apps/copies.ts';
import {
  impatient,
  isIn,
  keepSet,
  openOn,
  putting,
  serial,
  startKnot3,
  testFolder,
  toRecovery,
  until,
  whenItAnswers,
} from '../../testing/bench.ts';
import type { KeenLarder } from '../keen-larder.ts';
import { startChangingApps } from './apps/changing-apps.ts';
import { startCopying } from './apps/copying.ts';
import { startPuttingApps } from './apps/putting-apps.ts';
import { startTakingInRecovery } from './apps/taking-out.ts';
import { startComparing } from './imaging/comparing.ts';
import { startImaging } from './imaging/imaging.ts';
import { startKeepingRecords } from './records/keeping-records.ts';
import { startPuttingRecords } from './records/putting-records.ts';
import { startRestoring } from './restoring/restoring.ts';

const folder = testFolder();
let bench: Awaited<ReturnType<typeof startKnot3>>;
let app: KeenLarder;
let setId: string;
const everything: PartKind[] = ['program', 'data', 'device-data'];
const armed = { confirmed: [], armedWith: serial.slice(-4) };
const { stallMs } = impatient.retryPolicy;

beforeAll(async () => {
  bench = await startKnot3(join(folder.path, 'phones'));
  const home = join(folder.path, 'home');
  // Nobody is silent yet: a busy machine may take its time.
  app = await openOn(home, bench);
  await toRecovery(app, bench.phone);
  setId = await keepSet(app, 'quiet', ['boot', 'logo', 'recovery']);
  await app.close();
  app = await openOn(home, bench, impatient);
});
afterAll(async () => {
  await app.close();
  await bench.close();
  folder.remove();
});

const inMode = async (mode: 'system' | 'recovery') => {
  if (bench.phone.state().mode !== mode) void bench.phone.start(mode);
  await until(mode, isIn(app, mode));
};
const copyOf = (name: string) => app.larder.copies.of(serial).find(({ app }) => app.package === name)!.id;

const kinds: readonly [string, 'system' | 'recovery', () => Promise<RunView>][] = [
  [
    'imaging',
    'recovery',
    () =>
      startImaging(app, serial, { picked: ['system'], label: 'silent', confirmed: ['identity-left-out'] }),
  ],
  ['comparing', 'recovery', () => startComparing(app, serial, {})],
  [
    'restoring',
    'recovery',
    () => startRestoring(app, serial, putting(setId, ['boot'], { restartAfter: false })),
  ],
  [
    'copying in recovery',
    'recovery',
    () => startTakingInRecovery(app, serial, { packages: ['example.tidebook'] }),
  ],
  [
    'copying',
    'system',
    () =>
      startCopying(app, serial, {
        apps: [{ package: 'example.tidebook', parts: everything }],
        confirmed: [],
      }),
  ],
  [
    'putting apps back',
    'system',
    () =>
      startPuttingApps(app, serial, {
        ...armed,
        copies: [{ copyId: copyOf('example.tidebook'), parts: everything }],
      }),
  ],
  [
    'changing apps',
    'system',
    () =>
      startChangingApps(app, serial, { packages: ['example.tidebook'], action: 'disable', confirmed: [] }),
  ],
  [
    'keeping records',
    'system',
    () => startKeepingRecords(app, serial, { kinds: ['contacts'], confirmed: [] }),
  ],
  [
    'putting records back',
    'system',
    () =>
      startPuttingRecords(app, serial, {
        ...armed,
        copies: [app.larder.records.of(serial).find(({ records }) => records.kind === 'contacts')!.id],
      }),
  ],
];

it.each(kinds)('ends what %s waits for within the stall limit, and it goes on', async (_, mode, start) => {
  await inMode(mode);
  const { id } = await whenItAnswers(start);
  bench.phone.stallAfter(1);
  const stalledAt = performance.now();
  const said = () => app.engine.logOf(id).find(({ text }) => text.includes('has sent nothing for'));
  await until('a word of the silence', () => said() !== undefined);
  // What the phone has to read before it can answer is waited for besides: a few MiB here.
  expect(performance.now() - stalledAt).toBeLessThan(stallMs + 10_000);
  bench.phone.mendAll();
  expect(await app.engine.ended(id)).toMatchObject({ state: 'done' });
});
