// What the steps of a run were said to change is what changes on the phone: every write to its flash is watched. Locking,
// unlocking, switching slots, installing alone and removing are not among the runs.
import { join } from 'node:path';
import { afterAll, afterEach, beforeAll, expect, it, vi } from 'vitest';
import type { RunView } from '@keen-larder/contract/runs.ts';
import type { PartKind } from '@keen-larder/core/apps/copies.ts';
import { effectsOf, type Effect } from '@keen-larder/core/runsheet/effects.ts';
import type { Step } from '@keen-larder/core/runsheet/run-sheets.ts';
import {
  isIn,
  keepSet,
  openOn,
  putting,
  serial,
  startKnot3,
  testFolder,
  toRecovery,
  until,
} from '../../testing/bench.ts';
import type { KeenLarder } from '../keen-larder.ts';
import { startChangingApps } from './apps/changing-apps.ts';
import { startCopying } from './apps/copying.ts';
import { startPuttingApps } from './apps/putting-apps.ts';
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

beforeAll(async () => {
  bench = await startKnot3(join(folder.path, 'phones'));
  app = await openOn(join(folder.path, 'home'), bench);
  await toRecovery(app, bench.phone);
  setId = await keepSet(app, 'before', ['boot', 'logo', 'userdata-files']);
});
afterEach(() => void vi.restoreAllMocks());
afterAll(async () => {
  await app.close();
  await bench.close();
  folder.remove();
});

/** Where an effect is to be seen on this phone. */
function placesOf(effect: Effect): readonly string[] {
  switch (effect.does) {
    case 'overwrites':
      return [effect.partition];
    case 'locks':
    case 'unlocks':
      return ['devinfo'];
    case 'switches slot':
      return ['misc'];
    case 'restarts':
      // A system that starts writes into its own data.
      return effect.into === 'system' ? ['userdata', 'cache', 'misc'] : ['misc'];
    case 'clears caches':
      return ['userdata', 'cache'];
    case 'wipes user data':
      return ['userdata', 'cache'];
    default:
      return ['userdata'];
  }
}

interface Watched {
  readonly written: ReadonlySet<string>;
  readonly effects: readonly Effect[];
}
/** Carries out a run, and tells what it wrote and what its steps were said to do. */
async function watched(start: () => Promise<RunView>): Promise<Watched> {
  const { flash } = bench.phone;
  const written = new Set<string>();
  const write = flash.write.bind(flash);
  vi.spyOn(flash, 'write').mockImplementation((offset, bytes) => {
    const found = flash
      .list()
      .find((each) => offset >= each.startBytes && offset < each.startBytes + each.bytes);
    written.add(found?.name ?? 'partition table');
    return write(offset, bytes);
  });
  const steps: Step[] = [];
  const begin = app.engine.start.bind(app.engine);
  vi.spyOn(app.engine, 'start').mockImplementation((plan, work) => {
    // A run that compares has no sheet: nothing of it changes anything.
    steps.push(...plan.steps.filter((step): step is Step => 'kind' in step));
    return begin(plan, work);
  });
  const run = await app.engine.ended((await start()).id);
  expect(['done', 'incomplete'], run.outcome).toContain(run.state);
  return { written, effects: steps.flatMap(effectsOf) };
}

const inMode = async (mode: 'system' | 'recovery' | 'bootloader') => {
  if (bench.phone.state().mode !== mode) await bench.phone.start(mode);
  await until(mode, isIn(app, mode));
};
const copyOf = (name: string) => app.larder.copies.of(serial).find(({ app }) => app.package === name)!.id;

/** Of each kind of run: what it must have written, so that the test sees anything. */
const kinds: readonly [
  string,
  'system' | 'recovery' | 'bootloader',
  readonly string[],
  () => Promise<RunView>,
][] = [
  [
    'imaging',
    'recovery',
    [],
    () =>
      startImaging(app, serial, { picked: ['misc'], label: 'once more', confirmed: ['identity-left-out'] }),
  ],
  ['comparing', 'recovery', [], () => startComparing(app, serial, {})],
  [
    'putting back',
    'recovery',
    ['boot', 'logo'],
    () => startRestoring(app, serial, putting(setId, ['boot', 'logo'], { restartAfter: false })),
  ],
  [
    'putting user data back as files',
    'recovery',
    ['userdata'],
    () =>
      startRestoring(
        app,
        serial,
        putting(setId, ['userdata-files'], { restartAfter: false, confirmed: ['will-wipe'] }),
      ),
  ],
  [
    'formatting',
    'recovery',
    ['userdata'],
    () =>
      startRestoring(
        app,
        serial,
        putting(setId, ['userdata-files'], {
          format: true,
          restartAfter: false,
          confirmed: ['will-wipe'],
        }),
      ),
  ],
  [
    'copying apps',
    'system',
    [],
    () =>
      startCopying(app, serial, {
        apps: [{ package: 'example.tidebook', parts: everything }],
        confirmed: [],
      }),
  ],
  [
    'putting apps back',
    'system',
    ['userdata'],
    () =>
      startPuttingApps(app, serial, {
        ...armed,
        copies: [{ copyId: copyOf('example.tidebook'), parts: everything }],
      }),
  ],
  [
    'turning apps off',
    'system',
    ['userdata'],
    () =>
      startChangingApps(app, serial, { packages: ['example.tidebook'], action: 'disable', confirmed: [] }),
  ],
  [
    'keeping records',
    'system',
    [],
    () => startKeepingRecords(app, serial, { kinds: ['contacts'], confirmed: [] }),
  ],
  [
    'putting records back',
    'system',
    ['userdata'],
    () =>
      startPuttingRecords(app, serial, {
        ...armed,
        copies: [app.larder.records.of(serial).find(({ records }) => records.kind === 'contacts')!.id],
      }),
  ],
];

it.each(kinds)('of %s', async (_, mode, expected, start) => {
  await inMode(mode);
  const { written, effects } = await watched(start);
  const told = new Set(effects.flatMap(placesOf));
  expect([...written].filter((place) => !told.has(place))).toEqual([]);
  expect([...written]).toEqual(expect.arrayContaining([...expected]));
});
