import { beforeEach, expect, it } from 'vitest';
import { openDatabase, type Database } from '../../database/open.ts';
import { runStatements, type RunRow } from '../../database/runs.ts';
import { RunLedger } from './run-ledger.ts';

let database: Database;
let isFull: boolean;
let room: number;
let ledger: RunLedger;

beforeEach(() => {
  database = openDatabase(':memory:');
  const statements = runStatements(database);
  [isFull, room] = [false, 0];
  const unlessFull =
    <Given extends unknown[]>(write: (...given: Given) => void) =>
    (...given: Given) => {
      if (isFull) throw Object.assign(new Error('database or disk is full'), { code: 'SQLITE_FULL' });
      write(...given);
    };
  ledger = new RunLedger(
    {
      ...statements,
      save: unlessFull(statements.save) as typeof statements.save,
      addLine: unlessFull(statements.addLine) as typeof statements.addLine,
    },
    {
      release: () => {
        isFull = room-- <= 0;
        return !isFull;
      },
      layUp: () => undefined,
    },
  );
});

const row = (state: string): RunRow => ({
  id: 'run-1',
  kind: 'imaging',
  title: 'Keep 2 images',
  serial: null,
  operator: null,
  mode: null,
  link: null,
  setId: null,
  state,
  startedAt: 1,
  endedAt: state === 'running' ? null : 2,
  idleMs: 0,
  doneBytes: 0,
  carriedBytes: 0,
  outcome: null,
  detail: '{"steps":[],"speeds":[]}',
});
const line = (seq: number) => ({ seq, at: seq, level: 'info' as const, text: `line ${seq}` });

it('tells a run as it ended though the disk took neither its end nor its log, and writes both later', () => {
  ledger.save(row('running'));
  ledger.addLine('run-1', line(1));
  isFull = true;
  ledger.addLine('run-1', line(2));
  ledger.save(row('failed'));
  ledger.addLine('run-1', line(3));
  expect(ledger.one('run-1')?.state).toBe('failed');
  expect(ledger.recent().map(({ state }) => state)).toEqual(['failed']);
  expect(ledger.log('run-1').map(({ seq }) => seq)).toEqual([1, 2, 3]);
  expect(runStatements(database).one('run-1')?.state).toBe('running');
  isFull = false;
  ledger.settle();
  expect(runStatements(database).one('run-1')?.state).toBe('failed');
  expect(runStatements(database).log('run-1')).toHaveLength(3);
});

it('tells a run of which the disk took nothing', () => {
  isFull = true;
  ledger.save(row('running'));
  ledger.addLine('run-1', line(1));
  expect(ledger.recent()).toHaveLength(1);
  expect(ledger.lastSeq('run-1')).toBe(1);
});

it('uses the room that was held back', () => {
  [isFull, room] = [true, 1];
  ledger.save(row('done'));
  expect(runStatements(database).one('run-1')?.state).toBe('done');
});
