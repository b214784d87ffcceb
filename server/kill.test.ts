import { spawn, type ChildProcess } from 'node:child_process';
import { mkdirSync, readdirSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { createInterface } from 'node:readline';
import { afterAll, beforeAll, expect, it } from 'vitest';
import type { RunView } from '@keen-larder/contract/runs.ts';
import type { SetView } from '@keen-larder/contract/sets.ts';
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
    const args = ['--home', home, '--port', '0', '--phone', bench.phone.state().adb, '--poll-ms', '80'];
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

const startImaging = (url: string, label: string, picked: string[]) =>
  ask<RunView>(url, `/phones/${serial}/imaging`, { label, picked, confirmed: ['identity-left-out'] });

async function phoneHere(url: string): Promise<void> {
  await until('the phone', async () =>
    (await ask<{ presence: string }[]>(url, '/phones')).some(({ presence }) => presence === 'here'),
  );
}

it('leaves earlier sets verifying and no partial set, wherever it is killed', async () => {
  let url = await startServer();
  await phoneHere(url);
  const kept = await startImaging(url, 'kept', ['efs', 'recovery']);
  await until('the first set', async () => (await ask<RunView>(url, `/runs/${kept.id}`)).state === 'done');

  // At once, in the middle of the first pack, after some packs are sealed, near the end.
  for (const share of [0, 0.02, 0.15, 0.5, 0.9]) {
    const run = await startImaging(url, `killed at ${share}`, ['modem', 'persist', 'system']);
    await until('progress', async () => {
      const { doneBytes, bytes, state } = await ask<RunView>(url, `/runs/${run.id}`);
      return state !== 'running' || doneBytes >= bytes * share;
    });
    await kill();
    url = await startServer();
    const after = await ask<RunView>(url, `/runs/${run.id}`);
    const sets = await ask<SetView[]>(url, '/sets');
    if (after.state === 'interrupted') {
      expect(after.outcome).toMatch(
        /Keen Larder ended in the middle of this run.*Nothing of it is in the larder/s,
      );
      expect(sets.map(({ label }) => label)).not.toContain(`killed at ${share}`);
    } else {
      expect(after.state).toBe('done');
    }
    expect(sets.map(({ label }) => label)).toContain('kept');
    expect(readdirSync(join(home, 'shelf/packs')).filter((name) => name.endsWith('.part'))).toEqual([]);
    await phoneHere(url);
  }
  await kill();

  const app = await openOn(home, undefined);
  try {
    for (const { id } of app.larder.list()) {
      expect(await app.engine.ended(startVerifying(app, id).id)).toMatchObject({ state: 'done' });
    }
  } finally {
    await app.close();
  }
});

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
