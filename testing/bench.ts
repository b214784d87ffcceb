import pino from 'pino';
import type { RestoringStart } from '@keen-larder/contract/requests/restoring.ts';
import { addressesOf } from '@keen-larder/demo/standins.ts';
import { openKeenLarder, type KeenLarder, type Options } from '@keen-larder/server/keen-larder.ts';
import { startImaging } from '@keen-larder/server/runs/imaging/imaging.ts';
import { adbKeyOf } from '@keen-larder/server/links/adb/key.ts';
import { Problem } from '@keen-larder/server/failures.ts';
import { serve, type Serving } from '@keen-larder/server/serve.ts';
import { ShelfWorkers } from '@keen-larder/server/shelf/threads/workers.ts';
import { startPracticeBench, type PracticeBench } from '@keen-larder/standin/bench.ts';
import type { PhoneMode } from '@keen-larder/core/phone/modes.ts';
import type { Phone } from '@keen-larder/standin/phone/phone.ts';
import { recipes } from '@keen-larder/standin/scenario/phones.ts';
import { copyFlashes } from './flashes.ts';
import { testFolder } from './folder.ts';
import { until } from './until.ts';

export { testFolder, until };

export const serial = 'TW3K-10482';
export const silent = pino({ level: 'silent' });

/** Simulated phones from copies of their composed flashes, without a cable's limits. */
export async function startPhones(
  home: string,
  only: readonly string[] = recipes.map(({ serial }) => serial),
  systems: Parameters<typeof copyFlashes>[2] = {},
): Promise<PracticeBench> {
  await copyFlashes(home, only, systems);
  return startPracticeBench({ home, basePort: 0, fast: true, trusting: true, only });
}

/** The simulated Knot 3 from a copy of its composed flash, and others, without a cable's limits. */
export async function startKnot3(
  home: string,
  others: readonly string[] = [],
): Promise<PracticeBench & { phone: Phone }> {
  const only = [...new Set([serial, ...others])];
  const bench = await startPhones(home, only, { [serial]: 'system-march' });
  return { ...bench, phone: bench.phones.find(({ identity }) => identity.serial === serial)! };
}

const keyFolder = testFolder();
const adbKey = await adbKeyOf(keyFolder.path);
keyFolder.remove();

/** With a key of its own for each home folder. */
export const quickWithOwnKey = {
  pollMs: 250,
  // A busy machine takes its time with a start.
  overdueMs: 15_000,
  startLimitMs: 30_000,
  // A busy machine lets a simulated phone wait for seconds.
  retryPolicy: { stallMs: 10_000, backoffMs: 20, tries: 4, awayMs: 8000 },
  nicknames: { [serial]: 'Ringing hut' },
  settledMs: 120,
  // Finding out which way is faster would pack 64 MiB in every test that images much.
  packsOnCables: false,
  // Applications of one process of tests use the same threads: each takes long to load.
  workers: new ShelfWorkers(),
  log: silent,
};
/** A key takes long to make. */
export const quick = { ...quickWithOwnKey, adbKey };

export const openOn = (
  home: string,
  bench: { phone: Phone } | undefined,
  options: Partial<Options> = {},
): Promise<KeenLarder> =>
  openKeenLarder({ ...quick, home, addresses: bench ? [bench.phone.state().adb] : [], ...options });

/** For tests of phones that fall silent. */
export const impatient = { retryPolicy: { ...quick.retryPolicy, stallMs: 2000 } };

/** Begins something on a phone as soon as it answers: a busy machine notices late that a link was cut off. */
export async function whenItAnswers<T>(what: () => Promise<T>): Promise<T> {
  let began: T | undefined;
  await until('an answer', async () => {
    try {
      began = await what();
      return true;
    } catch (error) {
      if (error instanceof Problem && / does not answer now\./.test(error.message)) return false;
      throw error;
    }
  });
  return began!;
}

/** All addresses of simulated phones, in whichever mode each is. */
export const addressesOfAll = ({ phones }: PracticeBench): string[] =>
  phones.flatMap((phone) => addressesOf(phone.state()));

export const serveOn = (
  home: string,
  bench: PracticeBench,
  options: Partial<Options> = {},
): Promise<Serving> =>
  serve({
    ...quick,
    ...options,
    home,
    port: 0,
    addresses: addressesOfAll(bench),
    practiceUrl: bench.controlUrl,
  });

/** The application without any phone. */
export const serveAlone = (home: string): Promise<Serving> =>
  serve({ ...quick, home, port: 0, addresses: [] });

export const isIn = (app: KeenLarder, mode: PhoneMode) => () =>
  app.bench.list().some((phone) => phone.presence === 'here' && phone.facts?.mode === mode);

/** Brings the phone into recovery by hand, and waits until the application has noticed. */
export async function toRecovery(app: KeenLarder, phone: Phone): Promise<void> {
  await until('the phone', () => app.bench.list().length > 0 || phone.state().phase === 'looping');
  if (phone.state().mode !== 'recovery') void phone.start('recovery');
  await until('recovery', isIn(app, 'recovery'));
}

/** What puts images of a set back onto a phone, armed. */
export const putting = (
  setId: string,
  picked: readonly string[],
  over: Partial<RestoringStart> = {},
  phone = serial,
): RestoringStart => ({
  puts: picked.map((partition) => ({ setId, partition })),
  restartAfter: true,
  confirmed: [],
  armedWith: phone.slice(-4),
  ...over,
});

/**
 * Images some partitions of a phone in recovery into a set, whatever identity it leaves out.
 * @param usedOnly of these the blocks in use alone
 */
export async function keepSet(
  app: KeenLarder,
  label: string,
  picked: readonly string[],
  { phone = serial, usedOnly = [] }: { phone?: string; usedOnly?: readonly string[] } = {},
): Promise<string> {
  const confirmed = ['identity-left-out'];
  const request = { picked: [...picked], usedOnly: [...usedOnly], label, confirmed };
  const { id } = await startImaging(app, phone, request);
  const { state, setId, outcome } = await app.engine.ended(id);
  if (state !== 'done' || !setId) throw new Error(`“${label}” was not kept: ${outcome}`);
  return setId;
}
