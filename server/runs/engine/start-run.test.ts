import { expect, it } from 'vitest';
import type { Step } from '@keen-larder/core/runsheet/run-sheets.ts';
import { openDatabase } from '../../database/open.ts';
import { returnStatements } from '../../database/returns.ts';
import { runStatements } from '../../database/runs.ts';
import { unfinishedStatements } from '../../database/unfinished.ts';
import { Feed } from '../../events/feed.ts';
import { kindsOfRun } from '../kinds-of-run.ts';
import type { RunContext } from './run-context.ts';
import { RunEngine } from './run-engine.ts';
import { RunLedger } from './run-ledger.ts';
import { markOf } from './sheet-mark.ts';
import { startRun } from './start-run.ts';

const write = (bytes: number, setId = 'set-1'): Step => ({
  kind: 'write',
  text: 'Write boot',
  partition: 'boot',
  source: { setId, partition: 'boot' },
  bytes,
});

function engineAlone(): RunEngine {
  const database = openDatabase(':memory:');
  const [unfinished, returns] = [unfinishedStatements(database), returnStatements(database)];
  const ledger = new RunLedger(runStatements(database));
  const told = () => undefined;
  return new RunEngine(ledger, unfinished, returns, kindsOfRun, new Feed(1), () => 1, String, told);
}

/** Starts a run whose sheet is, each time it is asked for, the next of these. */
async function started(sheets: readonly (readonly Step[])[], seen?: string) {
  const engine = engineAlone();
  const done: string[] = [];
  const left = [...sheets];
  const view = await startRun({ engine, larder: {} } as RunContext, {
    sheet: () => Promise.resolve({ steps: left.length > 1 ? left.shift()! : left[0]!, checks: [] }),
    confirmed: [],
    seen,
    plan: () => ({ kind: 'verifying', title: 'a run' }),
    work: () => Promise.resolve((done.push('written'), 'done')),
  });
  return { ...(await engine.ended(view.id)), done };
}

it('begins where the sheet that was read is still what would be done', async () => {
  expect(await started([[write(4096)]], markOf({ steps: [write(4096)] }))).toMatchObject({
    done: ['written'],
  });
  expect(await started([[write(4096)]])).toMatchObject({ done: ['written'] });
});

it.each([
  ['another size of the partition', write(8192)],
  ['another set', write(4096, 'set-2')],
])('is refused where it was read from a sheet with %s', async (_what, other) => {
  await expect(started([[write(4096)]], markOf({ steps: [other] }))).rejects.toThrow(/Read it again/);
});

it('does nothing where its sheet has become another by the time of its turn', async () => {
  const { state, outcome, done } = await started([[write(4096)], [write(4096), write(512)]]);
  expect(state).toBe('failed');
  expect(outcome).toMatch(/Nothing of it was begun: start it again/);
  expect(done).toEqual([]);
});

it('takes no notice of how much data apps have by then', async () => {
  const copy = (bytes: number): Step => ({ kind: 'copy', text: 'Copy', app: 'example.tidebook', bytes });
  expect((await started([[copy(1)], [copy(900)]])).done).toEqual(['written']);
});
