import { createHash } from 'node:crypto';
import { mkdirSync, readdirSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, expect, it } from 'vitest';
import type { PartitionView } from '@keen-larder/contract/bench.ts';
import { isLive, type RunView } from '@keen-larder/contract/runs.ts';
import type { SetDetail, SetView } from '@keen-larder/contract/sets.ts';
import { filler } from '@keen-larder/standin/firmware/filler.ts';
import { KillableServer } from '../../testing/killable.ts';
import { openOn, serial, startKnot3, testFolder, until } from '../../testing/bench.ts';
import { startVerifying } from './files/verifying.ts';
import { killPoints } from '../../testing/effort.ts';

const folder = testFolder();
const home = join(folder.path, 'larder');
let bench: Awaited<ReturnType<typeof startKnot3>>;
const server = new KillableServer(home, () => bench.phone.state().adb);

beforeAll(async () => {
  mkdirSync(home);
  bench = await startKnot3(join(folder.path, 'phones'));
  await until('the phone', () => bench.phone.state().phase === 'running');
  await bench.phone.start('recovery');
});
afterAll(async () => {
  await server.kill();
  await bench.close();
  folder.remove();
});

const ask = <T>(path: string, body?: object) => server.ask<T>(path, body);

const startImaging = (label: string, picked: string[], readAll = true) =>
  ask<RunView>(`/phones/${serial}/imaging`, {
    label,
    picked,
    readAll,
    confirmed: ['identity-left-out'],
  });

const kills = killPoints(2);
const picked = ['modem', 'persist', 'logo'];
/** Apart from the first, which comes at once, wherever the dice say. */
const shares = Array.from({ length: kills }, (_, n) => (n === 0 ? 0 : ((n * 0.618034) % 1) * 0.98));

it(`leaves earlier sets verifying and no partial set, and resumes, killed at ${kills} points`, async () => {
  await server.start();
  const kept = await startImaging('kept', ['efs', 'recovery']);
  await until('the first set', async () => (await ask<RunView>(`/runs/${kept.id}`)).state === 'done');
  const truth = new Map<string, string>();
  for (const name of picked) {
    const device = bench.phone.flash.partition(name)!;
    truth.set(
      name,
      createHash('sha256')
        .update(await device.read(0, device.bytes))
        .digest('hex'),
    );
  }
  const expectTrue = async (setId: string) => {
    const { images, complete } = await ask<SetDetail>(`/sets/${setId}`);
    expect(complete).toBe(true);
    expect(new Map(images.map(({ partition, sha256 }) => [partition, sha256]))).toEqual(truth);
  };

  let resumed = 0;
  for (const [n, share] of shares.entries()) {
    const label = `killed ${n} at ${share.toFixed(3)}`;
    // Every fifth asks the phone first, and reads only what has changed.
    const run = await startImaging(label, picked, n % 5 !== 4);
    await until('progress', async () => {
      const { doneBytes, bytes, state } = await ask<RunView>(`/runs/${run.id}`);
      return state !== 'running' || doneBytes >= bytes * share;
    });
    await server.kill();
    await server.start();
    const after = await ask<RunView>(`/runs/${run.id}`);
    const sets = await ask<SetView[]>('/sets');
    expect(sets.map((set) => set.label)).toContain('kept');
    expect(readdirSync(join(home, 'shelf/packs')).filter((name) => name.endsWith('.part'))).toEqual([]);
    if (after.state !== 'interrupted') {
      expect(after.state).toBe('done');
      await expectTrue(after.setId!);
      continue;
    }
    expect(after.outcome).toMatch(
      /Keen Larder ended in the middle of this run.*resume it|It had not begun|Start it again/s,
    );
    // Killed between the set and the run's end, the set is whole.
    const whole = sets.find((set) => set.label === label);
    if (whole) await expectTrue(whole.id);
    else if (after.canResume) {
      const { id } = await ask<RunView>(`/runs/${run.id}/resume`, {});
      await until('the rest', async () => !isLive(await ask<RunView>(`/runs/${id}`)));
      const ended = await ask<RunView>(`/runs/${id}`);
      expect(ended.state, ended.outcome).toBe('done');
      await expectTrue(ended.setId!);
      resumed++;
    }
  }
  await server.kill();
  expect(resumed).toBeGreaterThan(kills / 3);

  const app = await openOn(home, undefined);
  try {
    for (const { id } of app.larder.list()) {
      expect(await app.engine.ended(startVerifying(app, [id]).id)).toMatchObject({ state: 'done' });
    }
  } finally {
    await app.close();
  }
}, 900_000);

it(`goes on with putting back, and ends proved, killed at ${kills} points`, async () => {
  await server.start();
  const flashOf = (name: string) => bench.phone.flash.partition(name)!;
  const digestOf = async (name: string) =>
    createHash('sha256')
      .update(await flashOf(name).read(0, flashOf(name).bytes))
      .digest('hex');
  const truth = new Map<string, string>();
  for (const name of picked) truth.set(name, await digestOf(name));
  const sets = await ask<SetView[]>('/sets');
  const from = sets.find(({ imageCount }) => imageCount === picked.length)!;
  let resumed = 0;
  for (const [n, share] of shares.entries()) {
    for (const name of picked) await flashOf(name).write((n % 7) << 20, filler('program', 700 + n, 90_000));
    const run = await ask<RunView>(`/phones/${serial}/restoring`, {
      puts: picked.map((partition) => ({ setId: from.id, partition })),
      restartAfter: false,
      confirmed: ['identity-left-out'],
      armedWith: serial.slice(-4),
    });
    await until('progress', async () => {
      const { doneBytes, bytes, state } = await ask<RunView>(`/runs/${run.id}`);
      return state !== 'running' || doneBytes >= bytes * share;
    });
    await server.kill();
    await server.start();
    const after = await ask<RunView>(`/runs/${run.id}`);
    if (after.state !== 'done') {
      expect(after.state, after.outcome).toBe('interrupted');
      const half = (await ask<PartitionView[]>(`/phones/${serial}/partitions`)).filter(
        ({ halfWritten }) => halfWritten,
      );
      // At most the one whose writing or proof was under way.
      expect(half.length).toBeLessThanOrEqual(1);
      const next = after.canResume
        ? await ask<RunView>(`/runs/${run.id}/resume`, {})
        : await ask<RunView>(`/phones/${serial}/restoring`, {
            puts: picked.map((partition) => ({ setId: from.id, partition })),
            restartAfter: false,
            confirmed: [],
            armedWith: serial.slice(-4),
          });
      await until('the rest', async () => !isLive(await ask<RunView>(`/runs/${next.id}`)));
      const ended = await ask<RunView>(`/runs/${next.id}`);
      expect(ended.state, ended.outcome).toBe('done');
      if (after.canResume) resumed++;
    }
    for (const name of picked) expect(await digestOf(name), `${name} ${n}`).toBe(truth.get(name));
    const views = await ask<PartitionView[]>(`/phones/${serial}/partitions`);
    expect(views.some(({ halfWritten }) => halfWritten)).toBe(false);
  }
  await server.kill();
  expect(resumed).toBeGreaterThan(kills / 3);
}, 900_000);

it('makes the catalogue anew from the shelf when it is lost', async () => {
  for (const name of readdirSync(home)) if (name.startsWith('catalogue.sqlite')) rmSync(join(home, name));
  const app = await openOn(home, undefined);
  try {
    const kept = app.larder.list().find(({ label }) => label === 'kept');
    expect(kept).toMatchObject({ imageCount: 2, model: 'Knot 3', condition: { kind: 'rooted' } });
    expect(await app.engine.ended(startVerifying(app, [kept!.id]).id)).toMatchObject({ state: 'done' });
  } finally {
    await app.close();
  }
});

it('lets one program alone work in a home folder', async () => {
  const app = await openOn(home, undefined);
  await expect(openOn(home, undefined)).rejects.toThrow(/Another Keen Larder/);
  await app.close();
});
