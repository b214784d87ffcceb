// Runs on a phone that says nothing, cable in, are cancelled and ended all the same, and soon.
import { join } from 'node:path';
import { afterAll, beforeAll, expect, it } from 'vitest';
import type { RunView } from '@keen-larder/contract/runs.ts';
import {
  isIn,
  keepSet,
  openOn,
  putting,
  serial,
  startKnot3,
  testFolder,
  until,
} from '../../testing/bench.ts';
import { KillableServer } from '../../testing/killable.ts';
import type { KeenLarder } from '../keen-larder.ts';
import { startImaging } from './imaging/imaging.ts';
import { startRestoring } from './restoring/restoring.ts';

const folder = testFolder();
const patient = { stallMs: 60_000, backoffMs: 20, tries: 4, awayMs: 60_000 };
let bench: Awaited<ReturnType<typeof startKnot3>>;
let app: KeenLarder;
let setId: string;

beforeAll(async () => {
  bench = await startKnot3(join(folder.path, 'phones'));
  app = await openOn(join(folder.path, 'home'), bench, { retryPolicy: patient });
  void bench.phone.start('recovery');
  await until('recovery', isIn(app, 'recovery'));
  setId = await keepSet(app, 'kept', ['boot', 'recovery']);
});
afterAll(async () => {
  bench.phone.mendAll();
  await bench.close();
  folder.remove();
});

/** Until nothing has moved for a while. */
async function held(view: () => RunView | Promise<RunView>): Promise<void> {
  let [bytes, since] = [-1, performance.now()];
  await until('the stall', async () => {
    const { doneBytes } = await view();
    if (doneBytes !== bytes) [bytes, since] = [doneBytes, performance.now()];
    return performance.now() - since > 700;
  });
}

const restoring = (restartAfter: boolean) =>
  startRestoring(app, serial, putting(setId, ['boot'], { restartAfter }));

it.each<[string, number, () => Promise<RunView>]>([
  ['writes', 1, () => restoring(false)],
  ['has written', 16 << 20, () => restoring(true)],
  [
    'images',
    1,
    () =>
      startImaging(app, serial, {
        picked: ['system'],
        label: 'broken off',
        confirmed: ['identity-left-out'],
      }),
  ],
])('a run that %s is cancelled within five seconds', async (_what, after, start) => {
  await until('recovery', isIn(app, 'recovery'));
  const { id } = await start();
  bench.phone.stallAfter(after);
  await held(() => app.engine.view(id));
  const since = performance.now();
  app.engine.cancel(id);
  expect(await app.engine.ended(id)).toMatchObject({ state: 'cancelled' });
  expect(performance.now() - since).toBeLessThan(5000);
  bench.phone.mendAll();
});

it('the whole program ends within five seconds', async () => {
  await app.close();
  const server = new KillableServer(join(folder.path, 'home'), () => bench.phone.state().adb);
  await server.start();
  const { id } = await server.ask<RunView>(`/phones/${serial}/imaging`, {
    picked: ['system'],
    label: 'ended',
    confirmed: ['identity-left-out'],
  });
  bench.phone.stallAfter(1);
  await held(() => server.ask<RunView>(`/runs/${id}`));
  expect(await server.end()).toBeLessThan(5000);
});
