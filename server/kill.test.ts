import { createHash } from 'node:crypto';
import { spawn, type ChildProcess } from 'node:child_process';
import { mkdirSync, readdirSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { createInterface } from 'node:readline';
import { afterAll, beforeAll, expect, it } from 'vitest';
import type { PartitionView } from '@keen-larder/contract/bench.ts';
import { isLive, type RunView } from '@keen-larder/contract/runs.ts';
import type { SetDetail, SetView } from '@keen-larder/contract/sets.ts';
import { filler } from '@keen-larder/standin/firmware/filler.ts';
import { openOn, serial, startKnot3, testFolder, until } from '../e2e/support/bench.ts';
import { startVerifying } from './runs/verifying.ts';

const folder = testFolder();
const home = join(folder.path, 'larder');
let bench: Awaited<ReturnType<typeof startKnot3>>;
let child: ChildProcess | undefined;

beforeAll(async () => {
  mkdirSync(home);
  bench = await startKnot3(join(folder.path, 'phones'));
  await until('the phone', () => bench.phone.state().phase === 'running');
  await bench.phone.start('recovery');
});
afterAll(async () => {
  child?.kill('SIGKILL');
  await bench.close();
  folder.remove();
});

/** The server as it is started for real, in a process that can be killed. */
function startServer(): Promise<string> {
  return new Promise((resolve, reject) => {
    const args = [
      '--home',
      home,
      '--port',
      '0',
      '--phone',
      bench.phone.state().adb,
      '--poll-ms',
      '80',
      '--no-adb-server',
    ];
    const started = spawn(
      process.execPath,
      ['--import', 'tsx', join(import.meta.dirname, 'main.ts'), ...args],
      {
        stdio: ['ignore', 'pipe', 'inherit'],
      },
    );
    child = started;
    started.once('exit', () => reject(new Error('the server ended before it was ready')));
    createInterface({ input: started.stdout }).on('line', (line) => {
      const url = /ready at (\S+)/.exec(line)?.[1];
      if (url) resolve(url);
    });
  });
}

async function kill(): Promise<void> {
  const gone = new Promise((resolve) => child!.once('exit', resolve));
  child!.kill('SIGKILL');
  await gone;
}

async function ask<T>(url: string, path: string, body?: object): Promise<T> {
  const answer = await fetch(`${url}/api${path}`, {
    ...(body && {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify(body),
    }),
  });
  return (await answer.json()) as T;
}

const startImaging = (url: string, label: string, picked: string[], readAll = true) =>
  ask<RunView>(url, `/phones/${serial}/imaging`, {
    label,
    picked,
    readAll,
    confirmed: ['identity-left-out'],
  });

async function phoneHere(url: string): Promise<void> {
  await until('the phone', async () =>
    (await ask<{ presence: string }[]>(url, '/phones')).some(({ presence }) => presence === 'here'),
  );
}

/** `npm run kills` asks for fifty. */
const kills = Number(process.env['KEEN_LARDER_KILLS'] ?? 3);
const picked = ['modem', 'persist', 'logo'];
/** Apart from the first, which comes at once, wherever the dice say. */
const shares = Array.from({ length: kills }, (_, n) => (n === 0 ? 0 : ((n * 0.618034) % 1) * 0.98));

it(`leaves earlier sets verifying and no partial set, and resumes, killed at ${kills} points`, async () => {
  let url = await startServer();
  await phoneHere(url);
  const kept = await startImaging(url, 'kept', ['efs', 'recovery']);
  await until('the first set', async () => (await ask<RunView>(url, `/runs/${kept.id}`)).state === 'done');
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
    const { images, complete } = await ask<SetDetail>(url, `/sets/${setId}`);
    expect(complete).toBe(true);
    expect(new Map(images.map(({ partition, sha256 }) => [partition, sha256]))).toEqual(truth);
  };

  let resumed = 0;
  for (const [n, share] of shares.entries()) {
    const label = `killed ${n} at ${share.toFixed(3)}`;
    // Every fifth asks the phone first, and reads only what has changed.
    const run = await startImaging(url, label, picked, n % 5 !== 4);
    await until('progress', async () => {
      const { doneBytes, bytes, state } = await ask<RunView>(url, `/runs/${run.id}`);
      return state !== 'running' || doneBytes >= bytes * share;
    });
    await kill();
    url = await startServer();
    await phoneHere(url);
    const after = await ask<RunView>(url, `/runs/${run.id}`);
    const sets = await ask<SetView[]>(url, '/sets');
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
      const { id } = await ask<RunView>(url, `/runs/${run.id}/resume`, {});
      await until('the rest', async () => !isLive(await ask<RunView>(url, `/runs/${id}`)));
      const ended = await ask<RunView>(url, `/runs/${id}`);
      expect(ended.state, ended.outcome).toBe('done');
      await expectTrue(ended.setId!);
      resumed++;
    }
  }
  await kill();
  expect(resumed).toBeGreaterThan(kills / 3);

  const app = await openOn(home, undefined);
  try {
    for (const { id } of app.larder.list()) {
      expect(await app.engine.ended(startVerifying(app, id).id)).toMatchObject({ state: 'done' });
    }
  } finally {
    await app.close();
  }
}, 900_000);

it(`goes on with putting back, and ends proved, killed at ${kills} points`, async () => {
  let url = await startServer();
  await phoneHere(url);
  const flashOf = (name: string) => bench.phone.flash.partition(name)!;
  const digestOf = async (name: string) =>
    createHash('sha256')
      .update(await flashOf(name).read(0, flashOf(name).bytes))
      .digest('hex');
  const truth = new Map<string, string>();
  for (const name of picked) truth.set(name, await digestOf(name));
  const sets = await ask<SetView[]>(url, '/sets');
  const from = sets.find(({ imageCount }) => imageCount === picked.length)!;
  let resumed = 0;
  for (const [n, share] of shares.entries()) {
    for (const name of picked) await flashOf(name).write((n % 7) << 20, filler('program', 700 + n, 90_000));
    const run = await ask<RunView>(url, `/phones/${serial}/restoring`, {
      puts: picked.map((partition) => ({ setId: from.id, partition })),
      restartAfter: false,
      confirmed: ['identity-left-out'],
      armedWith: serial.slice(-4),
    });
    await until('progress', async () => {
      const { doneBytes, bytes, state } = await ask<RunView>(url, `/runs/${run.id}`);
      return state !== 'running' || doneBytes >= bytes * share;
    });
    await kill();
    url = await startServer();
    await phoneHere(url);
    const after = await ask<RunView>(url, `/runs/${run.id}`);
    if (after.state !== 'done') {
      expect(after.state, after.outcome).toBe('interrupted');
      const half = (await ask<PartitionView[]>(url, `/phones/${serial}/partitions`)).filter(
        ({ halfWritten }) => halfWritten,
      );
      // At most the one whose writing or proof was under way.
      expect(half.length).toBeLessThanOrEqual(1);
      const next = after.canResume
        ? await ask<RunView>(url, `/runs/${run.id}/resume`, {})
        : await ask<RunView>(url, `/phones/${serial}/restoring`, {
            puts: picked.map((partition) => ({ setId: from.id, partition })),
            restartAfter: false,
            confirmed: [],
            armedWith: serial.slice(-4),
          });
      await until('the rest', async () => !isLive(await ask<RunView>(url, `/runs/${next.id}`)));
      const ended = await ask<RunView>(url, `/runs/${next.id}`);
      expect(ended.state, ended.outcome).toBe('done');
      if (after.canResume) resumed++;
    }
    for (const name of picked) expect(await digestOf(name), `${name} ${n}`).toBe(truth.get(name));
    const views = await ask<PartitionView[]>(url, `/phones/${serial}/partitions`);
    expect(views.some(({ halfWritten }) => halfWritten)).toBe(false);
  }
  await kill();
  expect(resumed).toBeGreaterThan(kills / 3);
}, 900_000);

it('makes the catalogue anew from the shelf when it is lost', async () => {
  for (const name of readdirSync(home)) if (name.startsWith('catalogue.sqlite')) rmSync(join(home, name));
  const app = await openOn(home, undefined);
  try {
    const kept = app.larder.list().find(({ label }) => label === 'kept');
    expect(kept).toMatchObject({ imageCount: 2, model: 'Knot 3', condition: { kind: 'rooted' } });
    expect(await app.engine.ended(startVerifying(app, kept!.id).id)).toMatchObject({ state: 'done' });
  } finally {
    await app.close();
  }
});

it('lets one program alone work in a home folder', async () => {
  const app = await openOn(home, undefined);
  await expect(openOn(home, undefined)).rejects.toThrow(/Another Keen Larder/);
  await app.close();
});
