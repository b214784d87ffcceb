import { stopwatch } from '../../async/stopwatch.ts';
import type { ProofView } from '@keen-larder/contract/runs.ts';
import { packagesPath } from '@keen-larder/core/boot/boot.ts';
import { FormatError } from '@keen-larder/core/bytes/format-error.ts';
import { durationText } from '@keen-larder/core/bytes/units.ts';
import {
  appsIn,
  compareReturn,
  type ProofRow,
  type PutBack,
  type ReturnFacts,
} from '@keen-larder/core/phone/proof.ts';
import type { Larder } from '../../larder/larder.ts';
import { keptText, openUserData } from '../../larder/inside/user-data.ts';
import { type FileAccess } from '../../links/phone-link.ts';
import { countsKept, countsOnPhone } from '../../records/counts.ts';
import type { RunContext } from '../engine/run-context.ts';
import { DamagedImage, PhoneFailure } from '../../failures.ts';
import type { Run } from '../engine/live-run.ts';

/** The first start after a restore (common practice, no published source). */
const usualFirstStartMs = { least: 0, most: 20 * 60_000 };
/** Starts differ by this much without anything being wrong. */
const slack = 1.5;
const leastMs = 20_000;
const packagesList = '/system/packages.list';
const mostListBytes = 8 << 20;

/** How long a start is expected to take: from those of the same phone, where there were any. */
export function expectedStart(past: readonly number[]): { readonly least: number; readonly most: number } {
  if (past.length === 0) return usualFirstStartMs;
  return { least: Math.min(...past), most: Math.max(leastMs, Math.max(...past) * slack) };
}

/**
 * Waits for the system, and says so once it takes longer than usual.
 * @throws LinkFailure when the phone restarts again and again or stays away beyond the limit
 */
export async function watchStart(
  { bench, returns, startLimitMs, now }: RunContext,
  serial: string,
  run: Run,
): Promise<string> {
  const startedAt = now();
  const elapsedMs = stopwatch();
  const expected = expectedStart(returns.starts(serial));
  const { nickname } = bench.view(serial);
  const usual =
    expected.least > 0
      ? `${durationText(expected.least)} to ${durationText(expected.most)}`
      : `up to ${durationText(expected.most)} after a restore`;
  const slow = setTimeout(
    () =>
      run.log(
        `${nickname} takes longer than usual (${usual}). Leave the cable in and look at its screen.`,
        'warning',
      ),
    expected.most,
  );
  try {
    await run.waiting(`Waiting for ${nickname} to start: usually ${usual}.`, () =>
      bench.waitFor(serial, 'system', startLimitMs, run.signal),
    );
  } finally {
    clearTimeout(slow);
  }
  const ms = elapsedMs();
  returns.addStart(serial, startedAt, ms);
  return `it started after ${durationText(ms)}`;
}

/** Reads the phone's facts again, lays them beside the set's, and keeps the result with the run. */
export async function proveReturn(
  { bench, larder, returns, now }: RunContext,
  serial: string,
  setId: string,
  putBack: PutBack,
  partitions: ProofView['partitions'],
  run: Run,
): Promise<ProofView> {
  const set = larder.detail(setId);
  const link = bench.link(serial);
  const facts = await link.facts();
  const rows = compareReturn(
    { condition: set.condition, ...(await userDataInSet(larder, setId)) },
    {
      condition: facts.condition,
      ...(link.files && (await userDataOnPhone(link.files).catch(unlessGone))),
    },
    putBack,
  );
  const view: ProofView = {
    serial,
    nickname: bench.view(serial).nickname,
    at: now(),
    setId,
    label: set.label,
    rows,
    partitions,
  };
  returns.saveProof(run.id, view);
  for (const row of rows) {
    if (row.result === 'different')
      run.log(`${row.what}: ${row.kept} was kept, ${row.now} is there.`, 'warning');
  }
  return view;
}

/** What came of it, in a sentence. */
export function proofText(rows: readonly ProofRow[]): string {
  const different = rows.filter(({ result }) => result === 'different').map(({ what }) => what);
  if (different.length > 0) return `Different from the set: ${different.join(', ')}.`;
  const count = (wanted: ProofRow['result']) => rows.filter(({ result }) => result === wanted).length;
  const unknown = count('unknown');
  const not = unknown > 0 ? `${unknown} could not be compared, ` : '';
  return `${count('same')} of ${rows.length} facts are the same as kept, ${not}none differs without a reason.`;
}

/** Apps by the lists in user data. @param read a file of it */
async function appsOf(read: (path: string) => Promise<string | undefined>): Promise<ReturnFacts['apps']> {
  const list = await read(packagesList);
  return list === undefined ? undefined : appsIn(list, await read(packagesPath));
}

function unlessGone(error: unknown): undefined {
  if (error instanceof PhoneFailure) return undefined;
  throw error;
}

type UserDataFacts = Pick<ReturnFacts, 'apps' | 'records'>;

const userDataOnPhone = async (files: FileAccess): Promise<UserDataFacts> => ({
  apps: await appsOf((path) => files.text(`/data${path}`)),
  records: await countsOnPhone(files),
});

/** What a set's user data lists; nothing where it cannot be read, as in ciphertext, or was not kept. */
async function userDataInSet(larder: Larder, setId: string): Promise<UserDataFacts> {
  const { images } = larder.detail(setId);
  if (!images.some(({ partition, kind }) => partition === 'userdata' && kind === 'block')) return {};
  try {
    const data = await openUserData(larder.shelf, larder.image(setId, 'userdata'));
    const text = async (path: string) => {
      const file = await data.file(path);
      return file && file.bytes <= mostListBytes ? keptText(file) : undefined;
    };
    return { apps: await appsOf(text), records: await countsKept(data) };
  } catch (error) {
    if (error instanceof FormatError || error instanceof DamagedImage) return {};
    throw error;
  }
}
