// What the steps of a run were said to change is what changes on the phone: every write to its flash is watched. Every
// kind of step is among the runs.
import { join } from 'node:path';
import Database from 'better-sqlite3';
import { afterAll, afterEach, beforeAll, expect, it, vi } from 'vitest';
import type { RunView } from '@keen-larder/contract/runs.ts';
import type { PartKind } from '@keen-larder/core/apps/copies.ts';
import { effectsOf, type Effect } from '@keen-larder/core/runsheet/effects.ts';
import type { Step } from '@keen-larder/core/runsheet/run-sheets.ts';
import { editTree } from '@keen-larder/standin/flash/file-tree.ts';
import { putTwoDozenApps } from '@keen-larder/standin/scenario/two-dozen.ts';
import type { PracticeBench } from '@keen-larder/standin/bench.ts';
import type { SimulatedMode } from '@keen-larder/standin/phone/phone-state.ts';
import {
  addressesOfAll,
  keepSet,
  putting,
  quick,
  serial,
  startPhones,
  testFolder,
  until,
} from '../../testing/bench.ts';
import { openFileSystem } from '@keen-larder/core/formats/file-system/open.ts';
import { overwriteFile } from '@keen-larder/standin/flash/file-writes.ts';
import { openKeenLarder, type KeenLarder } from '../keen-larder.ts';
import { startChangingApps } from './apps/changing-apps.ts';
import { startCopying } from './apps/copying.ts';
import { startRemovingLeftovers } from './apps/leftovers/removing.ts';
import { startPuttingApps } from './apps/putting-apps.ts';
import { startComparing } from './imaging/comparing.ts';
import { startImaging } from './imaging/imaging.ts';
import { startKeepingRecords } from './records/keeping-records.ts';
import { startPuttingRecords } from './records/putting-records.ts';
import { startPuttingShared } from './shared/putting-shared.ts';
import { startLocking } from './restoring/locking.ts';
import { startRestoring } from './restoring/restoring.ts';

const folder = testFolder();
/** With two slots, and a bootloader that can be locked. */
const knot5 = 'TW5K-20316';
/** Whose apps can be reached through recovery alone. */
const unrooted = 'TW3K-10517';
let bench: PracticeBench;
let app: KeenLarder;
let setId: string;
let sharedId: string;
const everything: PartKind[] = ['program', 'data', 'device-data'];
const armed = (phone = serial) => ({ confirmed: [], armedWith: phone.slice(-4) });

beforeAll(async () => {
  bench = await startPhones(join(folder.path, 'phones'), [serial, knot5, unrooted], {
    [serial]: 'system-march',
    [unrooted]: 'system-january',
  });
  app = await openKeenLarder({ ...quick, home: join(folder.path, 'home'), addresses: addressesOfAll(bench) });
  await into(serial, 'recovery');
  setId = await keepSet(app, 'before', ['boot', 'logo', 'userdata-files']);
  sharedId = await keepSet(app, 'photos', ['shared-storage']);
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
      // What it was encrypted with goes as well.
      return ['userdata', 'cache', 'metadata'];
    default:
      return ['userdata'];
  }
}

interface Watched {
  readonly written: ReadonlySet<string>;
  readonly effects: readonly Effect[];
}
/** Carries out a run, and tells what it wrote and what its steps were said to do. */
async function watched(phone: string, start: () => Promise<RunView>): Promise<Watched> {
  const { flash } = phoneOf(phone);
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
  for (const { kind } of steps) seen.add(kind);
  return { written, effects: steps.flatMap(effectsOf) };
}

const phoneOf = (wanted: string) => bench.phones.find(({ identity }) => identity.serial === wanted)!;
async function into(wanted: string, mode: SimulatedMode): Promise<void> {
  if (phoneOf(wanted).state().mode !== mode) void phoneOf(wanted).start(mode);
  await until(mode, () => app.bench.linkIn(wanted, mode) !== undefined);
}
const withoutDownloads = async () =>
  editTree(await phoneOf(unrooted).userData(), { removes: (path) => path === '/media/0/Download' });
const copyOf = (name: string) => app.larder.copies.of(serial).find(({ app }) => app.package === name)!.id;

/** Whose steps' kinds were carried out. */
const seen = new Set<Step['kind']>();

/** Of each kind of run: where it begins, and what it must have written, so that the test sees anything. */
const kinds: readonly [
  string,
  'system' | 'recovery' | 'bootloader',
  readonly string[],
  () => Promise<RunView>,
  phone?: string,
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
        ...armed(),
        copies: [{ copyId: copyOf('example.tidebook'), parts: everything }],
        withIds: true,
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
        ...armed(),
        copies: [app.larder.records.of(serial).find(({ records }) => records.kind === 'contacts')!.id],
      }),
  ],
  [
    'handing records to a phone without root',
    'system',
    ['userdata'],
    async () => {
      // One of them is not there.
      const path = '/data/com.android.providers.contacts/databases/contacts2.db';
      const device = await phoneOf(unrooted).userData();
      const fs = await openFileSystem(device);
      const db = new Database(Buffer.from(await fs.read((await fs.find(path))!)));
      db.exec('UPDATE raw_contacts SET deleted = 1 WHERE _id = 3');
      await overwriteFile(device, path, 0, db.serialize());
      db.close();
      return startPuttingRecords(app, unrooted, {
        confirmed: ['another-phone', 'battery'],
        copies: [app.larder.records.of(serial).find(({ records }) => records.kind === 'contacts')!.id],
      });
    },
    unrooted,
  ],
  [
    'putting back, proved and watched',
    'bootloader',
    ['boot'],
    () => startRestoring(app, serial, putting(setId, ['boot'])),
  ],
  [
    'removing an app',
    'system',
    ['userdata'],
    () =>
      startChangingApps(app, serial, {
        packages: ['example.tidebook'],
        action: 'remove',
        confirmed: ['will-wipe', 'copy-first'],
      }),
  ],
  [
    'removing what apps left',
    'system',
    ['userdata'],
    async () => {
      await phoneOf(serial).changeUserData(putTwoDozenApps);
      const packages = ['example.oldtides'];
      return startRemovingLeftovers(app, serial, { packages, keepsFirst: true, confirmed: [] });
    },
  ],
  [
    'putting apps of another phone through recovery',
    'system',
    ['userdata'],
    () =>
      startPuttingApps(app, unrooted, {
        ...armed(unrooted),
        confirmed: ['battery'],
        copies: [{ copyId: copyOf('example.tidebook'), parts: everything }],
        through: 'recovery',
      }),
    unrooted,
  ],
  [
    'putting apps of another phone back as a backup of the phone’s own',
    'system',
    ['userdata'],
    () =>
      startPuttingApps(app, unrooted, {
        ...armed(unrooted),
        confirmed: ['battery'],
        copies: [{ copyId: copyOf('example.tidebook'), parts: everything }],
        through: 'backup',
      }),
    unrooted,
  ],
  [
    'putting photos where there are none of the same names',
    'system',
    ['userdata'],
    async () => {
      await withoutDownloads();
      return startPuttingShared(app, unrooted, {
        ...{ setId: sharedId, folders: ['Download'], onTop: 'leave' },
        confirmed: ['another-phone'],
      });
    },
    unrooted,
  ],
  [
    'putting photos over others',
    'system',
    ['userdata'],
    async () => {
      await withoutDownloads();
      return startPuttingShared(app, unrooted, {
        ...armed(unrooted),
        ...{ setId: sharedId, folders: ['Download'], onTop: 'replace' },
        confirmed: ['another-phone', 'data-replaced'],
      });
    },
    unrooted,
  ],
  [
    'switching slots',
    'bootloader',
    ['misc'],
    () => startRestoring(app, knot5, putting('', [], { activate: 'a', restartAfter: false }, knot5)),
    knot5,
  ],
  [
    'locking',
    'recovery',
    ['userdata'],
    () => startLocking(app, knot5, { lock: true, ...armed(knot5), confirmed: ['will-wipe'] }),
    knot5,
  ],
  [
    'unlocking',
    'bootloader',
    ['userdata'],
    () => startLocking(app, knot5, { lock: false, ...armed(knot5), confirmed: ['will-wipe'] }),
    knot5,
  ],
];

it.each(kinds)('of %s', async (_, mode, expected, start, phone = serial) => {
  await into(phone, mode);
  const { written, effects } = await watched(phone, start);
  const told = new Set(effects.flatMap(placesOf));
  expect([...written].filter((place) => !told.has(place))).toEqual([]);
  expect([...written]).toEqual(expect.arrayContaining([...expected]));
});

/** Typed, so that a new kind of step asks for its run. */
const everyKind: Readonly<Record<Step['kind'], true>> = {
  read: true,
  verify: true,
  write: true,
  prove: true,
  format: true,
  clear: true,
  activate: true,
  lock: true,
  'add-shared': true,
  'put-shared': true,
  unlock: true,
  restart: true,
  watch: true,
  compare: true,
  copy: true,
  remove: true,
  install: true,
  'put-data': true,
  'hand-over': true,
  'set-state': true,
  'set-ids': true,
  'hand-records': true,
  'prove-ids': true,
  'put-back': true,
};
it('of every kind of step', () => {
  expect([...seen].sort()).toEqual(Object.keys(everyKind).sort());
});
