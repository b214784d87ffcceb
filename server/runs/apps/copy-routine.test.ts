// What changed of a phone's apps is copied by itself: once a day, when it is there, and says what it skipped.
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { useForADay } from '@keen-larder/standin/scenario/daily-use.ts';
import { isIn, openOn, serial, startKnot3, testFolder, until } from '../../../testing/bench.ts';
import { openDatabase } from '../../database/open.ts';
import { copyRoutineStatements } from '../../database/upkeep/copy-routines.ts';
import { phoneStatements } from '../../database/phones.ts';
import type { KeenLarder } from '../../keen-larder.ts';
import { CopyRoutines, type CopyRoutineParts } from './copy-routine.ts';
import { startCopying } from './copying.ts';

const day = 86_400_000;
const folder = testFolder();
let bench: Awaited<ReturnType<typeof startKnot3>>;
let app: KeenLarder;
let now = Date.UTC(2026, 10, 28, 10);
let readySince: number | undefined;

const database = openDatabase(':memory:');
phoneStatements(database).seen({
  serial,
  maker: 'Tidewell',
  model: 'Knot 3',
  nickname: 'Ringing hut',
  lastSeenAt: 1,
});
const rows = copyRoutineStatements(database);
const routines = (over: Partial<CopyRoutineParts> = {}) =>
  new CopyRoutines({
    ...{ rows, now: () => now, minutesEast: () => 0, readySince: () => readySince },
    views: (of) => app.appSheets.views(of),
    sheet: (of, apps) => app.appSheets.copying(of, { apps }),
    copy: (of, apps, remark) => startCopying(app, of, { apps, confirmed: [] }, remark),
    ended: (id) => app.engine.ended(id),
    onChange: () => undefined,
    ...over,
  });

beforeAll(async () => {
  bench = await startKnot3(join(folder.path, 'phones'));
  app = await openOn(join(folder.path, 'larder'), bench);
  await until('the system', isIn(app, 'system'));
  readySince = now;
});
afterAll(async () => {
  await app.close();
  await bench.close();
  database.close();
  folder.remove();
});

describe('a routine of copying', () => {
  const copied = () => app.larder.copies.of(serial).length;

  it('leaves alone a phone that it is not for, that is not there, or has just come', async () => {
    const of = routines();
    await of.step();
    expect(copied()).toBe(0);
    of.turn(serial, true);
    await of.step();
    readySince = undefined;
    now += 200_000;
    await of.step();
    expect(copied()).toBe(0);
    expect(of.view(serial)).toEqual({ isOn: true, at: undefined, said: undefined });
  });

  it('copies all once, then nothing that did not change, once a day', async () => {
    const of = routines();
    readySince = now - 200_000;
    await of.step();
    expect(copied()).toBe(3);
    expect(of.view(serial)).toMatchObject({
      at: now,
      said: expect.stringMatching(/^3 apps copied/) as string,
    });
    const [run] = app.engine.list();
    expect(app.engine.logOf(run!.id).map(({ text }) => text)).toContain(
      'By routine: 3 apps changed since the last copy.',
    );
    await of.step();
    expect(copied()).toBe(3);
    now += day;
    await of.step();
    expect(copied()).toBe(3);
    expect(of.view(serial)).toEqual({ isOn: true, at: now, said: 'Nothing changed: 3 apps as kept.' });
  });

  it('copies what changed, whole, without reading its program again', async () => {
    await useForADay(bench.phone.flash, 9);
    now += day;
    const of = routines();
    await of.step();
    expect(of.view(serial).said).toMatch(
      /^2 apps copied, .* of programs were there and not read\. one app as kept, and skipped\.$/,
    );
    expect(copied()).toBe(5);
    const newest = app.larder.copies.of(serial).slice(0, 2);
    for (const { parts } of newest)
      expect(parts.map(({ kind }) => kind)).toEqual(['program', 'data', 'device-data']);
  });

  it('is put off, and says why, where a run may not start or the phone does not answer', async () => {
    await useForADay(bench.phone.flash, 10);
    now += day;
    const gone = routines({ views: () => Promise.reject(new Error('The phone does not answer now.')) });
    const before = gone.view(serial).at;
    await gone.step();
    expect(gone.view(serial)).toMatchObject({ at: before, said: 'Put off: The phone does not answer now.' });
    const battery = {
      id: 'battery',
      severity: 'stop',
      title: 'Battery 4 %',
      sentence: 'Charge it.',
    } as const;
    const low = routines({
      sheet: async (of, apps) => ({ ...(await app.appSheets.copying(of, { apps })), checks: [battery] }),
    });
    await low.step();
    expect(low.view(serial)).toMatchObject({ at: before, said: 'Put off: Battery 4 %.' });
    expect(copied()).toBe(5);
    low.turn(serial, false);
    await low.step();
    expect(low.view(serial)).toEqual({ isOn: false, at: undefined, said: undefined });
  });
});
