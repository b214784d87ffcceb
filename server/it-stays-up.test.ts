// The server as it is started for real, on a disk that is really full.
import { execFileSync } from 'node:child_process';
import { mkdirSync, readdirSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import Sqlite from 'better-sqlite3';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { startKnot3, serial, testFolder, until } from '../testing/bench.ts';
import { KillableServer } from '../testing/killable.ts';
import type { SetView, ShelfView } from '@keen-larder/contract/sets.ts';
import type { RunView } from '@keen-larder/contract/runs.ts';

/** Only the owner of the computer may mount a disk of a known size. */
const mayMount = process.getuid?.() === 0;

describe.runIf(mayMount)('on a disk that is full', () => {
  const folder = testFolder();
  const home = join(folder.path, 'home');
  const filler = join(home, 'filler');
  let bench: Awaited<ReturnType<typeof startKnot3>>;
  let server: KillableServer;

  /** Takes all the room that there is. */
  function fill(): void {
    const chunk = Buffer.alloc(1 << 16, 1);
    for (const bytes of [chunk, chunk.subarray(0, 4096)])
      try {
        for (;;) writeFileSync(filler, bytes, { flag: 'a' });
      } catch (error) {
        expect((error as NodeJS.ErrnoException).code).toBe('ENOSPC');
      }
  }

  beforeAll(async () => {
    mkdirSync(home);
    execFileSync('mount', ['-t', 'tmpfs', '-o', 'size=160m', 'tmpfs', home]);
    bench = await startKnot3(join(folder.path, 'phones'));
    void bench.phone.start('recovery');
    server = new KillableServer(home, () => bench.phone.state().adb);
    await server.start();
    await until('recovery', async () => (await phone()).facts?.mode === 'recovery');
  });
  afterAll(async () => {
    await server.kill();
    await bench.close();
    execFileSync('umount', [home]);
    folder.remove();
  });

  const phone = async () =>
    (await server.ask<{ serial: string; facts?: { mode: string } }[]>('/phones')).find(
      (each) => each.serial === serial,
    )!;
  const keep = (label: string, picked: string[]) =>
    server.ask<RunView>(`/phones/${serial}/imaging`, {
      picked,
      label,
      confirmed: ['identity-left-out', 'low-battery'],
    });
  const ended = async (id: string) => {
    let view = await server.ask<RunView>(`/runs/${id}`);
    await until('the end of the run', async () => {
      view = await server.ask<RunView>(`/runs/${id}`);
      return view.endedAt !== undefined;
    });
    return view;
  };

  it('a run ends with words, and the program serves on; started again it serves, and what is in the bin can go', async () => {
    const first = await ended((await keep('kept before', ['boot', 'recovery'])).id);
    expect(first.state).toBe('done');
    const run = await keep('into a full disk', ['system']);
    expect(run.state).toBe('running');
    fill();
    const full = await ended(run.id);
    expect(full.outcome).toMatch(/disk .*is full/i);
    expect((await server.ask<RunView[]>('/runs')).map(({ id }) => id)).toContain(run.id);
    const sets = await server.ask<SetView[]>('/sets');
    expect(sets.map(({ label }) => label)).toEqual(['kept before']);

    await server.kill();
    await server.start();
    expect((await server.ask<SetView[]>('/sets')).map(({ label }) => label)).toEqual(['kept before']);
    expect(await server.ask(`/sets/${sets[0]!.id}`, { binned: true }, 'PATCH')).toMatchObject({
      label: 'kept before',
    });
    expect(await server.ask('/bin/empty', { atOnce: true })).toMatchObject({ removed: 1 });
    const { freeBytes, freedBytes } = await server.ask<ShelfView>('/shelf');
    expect(freedBytes).toBe(0);
    expect(freeBytes).toBeGreaterThan(12 << 20);
  });

  it('starts where not a byte is left, and serves', async () => {
    await server.kill();
    rmSync(join(home, 'reserve'), { force: true });
    fill();
    await server.start();
    expect(await server.ask<ShelfView>('/shelf')).toMatchObject({ freeBytes: 0, setCount: 0 });
    expect(await server.ask<RunView[]>('/runs')).not.toHaveLength(0);
  });

  it('is a home that nobody else may look into', () => {
    expect(statSync(home).mode & 0o777).toBe(0o700);
    rmSync(filler, { force: true });
    for (const name of readdirSync(home))
      expect([name, statSync(join(home, name)).mode & 0o077]).toEqual([name, 0]);
  });

  it('follows on though a catalogue holds an address that is none', async () => {
    await server.kill();
    const db = new Sqlite(join(home, 'catalogue.sqlite'));
    db.prepare('INSERT INTO addresses VALUES (?, 1)').run('127.0.0.1:99999');
    db.close();
    await server.start();
    expect((await phone()).serial).toBe(serial);
    expect(readFileSync(join(home, 'adb-key.pem'), 'utf8')).toContain('PRIVATE KEY');
  });
});
