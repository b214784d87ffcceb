// What crosses the cable is packed where that is faster, on a simulated phone in recovery; its tools may be wrong.
import { join } from 'node:path';
import { afterAll, beforeAll, expect, it } from 'vitest';
import { commandTable } from '@keen-larder/standin/shell/commands.ts';
import type { Command } from '@keen-larder/standin/shell/host.ts';
import {
  isIn,
  keepSet,
  openOn,
  putting,
  serial,
  startKnot3,
  testFolder,
  toRecovery,
  until,
} from '../../../../testing/bench.ts';
import { faultSeeds } from '../../../../testing/effort.ts';
import { numbersOf } from '../../../../testing/numbers.ts';
import type { KeenLarder } from '../../../keen-larder.ts';
import { wholeOf } from '../../../shelf/image-writer.ts';
import { startImaging } from '../../../runs/imaging/imaging.ts';
import { startRestoring } from '../../../runs/restoring/restoring.ts';

const folder = testFolder();
let bench: Awaited<ReturnType<typeof startKnot3>>;
let app: KeenLarder;
let first: string;
const packed = { plain: 1, packed: 2, share: 0.1 };
const logOf = (runId: string) => app.engine.logOf(runId).map(({ text }) => text);
const kept = () => app.larder.detail(first).images.find(({ partition }) => partition === 'modem')!;

beforeAll(async () => {
  bench = await startKnot3(join(folder.path, 'phones'));
  app = await openOn(join(folder.path, 'home'), bench, { packsOnCables: true });
  await toRecovery(app, bench.phone);
  first = await keepSet(app, 'first', ['modem']);
});
afterAll(async () => {
  await app.close();
  await bench.close();
  folder.remove();
});

/** The link, which packs; anew, so that it has forgotten what it found out. */
async function packing(): Promise<void> {
  app.bench.link(serial).close();
  await until('the phone to be gone', () => !isIn(app, 'recovery')());
  await until('the phone', isIn(app, 'recovery'));
  app.bench.access(serial).cable!.recall({ read: packed, write: packed });
}

/** The phone's gzip is another one for a while. */
async function withGzip(
  make: ((own: Command) => Command) | undefined,
  work: () => Promise<void>,
): Promise<void> {
  const table = commandTable as Record<string, Command>;
  const own = table['gzip']!;
  if (make) table['gzip'] = make(own);
  else delete table['gzip'];
  try {
    await work();
  } finally {
    table['gzip'] = own;
  }
}

let times = 0;
/** In seeded ways, some of the time: a byte is another one, the end or the beginning is missing, it fails, something follows, the cable comes out. */
const mangling =
  (number: (below: number) => number) =>
  (own: Command): Command =>
  async (process) => {
    if (number(3) > 0) return own(process);
    const how = number(6);
    let left = number(400_000);
    const status = await own({
      ...process,
      out: async (bytes) => {
        const given = Buffer.from(bytes);
        const isHere = left >= 0 && left < given.length;
        const at = left;
        left -= given.length;
        if (how === 0 && isHere) given[at]! ^= 1 << number(8);
        if (how === 1 && left < 0) return isHere ? process.out(given.subarray(0, at)) : undefined;
        if (how === 2 && left >= 0) return undefined;
        if (how === 5 && isHere) await pulled();
        return process.out(given);
      },
    });
    if (how === 3) return 1;
    if (how === 4) await process.out(Buffer.from('gzip: done\n'));
    return status;
  };

/** The cable comes out, and goes in again in a moment. */
async function pulled(): Promise<void> {
  bench.phone.setCable(false);
  await new Promise((resolve) => setTimeout(resolve, 50));
  bench.phone.setCable(true);
}

/** Keeps all of it again. @returns the log */
async function keepAgain(): Promise<readonly string[]> {
  const { id } = await startImaging(app, serial, {
    picked: ['modem'],
    label: `again ${++times}`,
    confirmed: ['identity-left-out'],
    readAll: true,
  });
  const { state, setId } = await app.engine.ended(id);
  expect(state, logOf(id).join('\n')).toBe('done');
  expect(app.larder.detail(setId!).images[0]!.sha256).toBe(kept().sha256);
  return logOf(id);
}

async function putBack(): Promise<readonly string[]> {
  const partition = bench.phone.flash.partition('modem')!;
  for (const at of [1 << 20, 5 << 20]) await partition.write(at, Buffer.from('changed'));
  const { id } = await startRestoring(
    app,
    serial,
    putting(first, ['modem'], { restartAfter: false, writeAll: true }),
  );
  expect(await app.engine.ended(id)).toMatchObject({ state: 'done' });
  await until('the phone', isIn(app, 'recovery'));
  const { hex } = await app.bench.access(serial).digest('modem', wholeOf(kept().bytes));
  expect(hex).toBe(kept().sha256);
  return logOf(id);
}

const wasPacked = expect.stringMatching(/^modem: .* crossed the cable as .*, packed by gzip/);

it('is packed both ways', async () => {
  await packing();
  expect(await keepAgain()).toContainEqual(wasPacked);
  await packing();
  expect(await putBack()).toContainEqual(wasPacked);
});

it('goes by what was measured over the same cable before', async () => {
  app.bench.access(serial).cable!.onMeasured!({ read: packed, write: {} });
  app.bench.link(serial).close();
  await until('the phone to be gone', () => !isIn(app, 'recovery')());
  await until('the phone', isIn(app, 'recovery'));
  const access = app.bench.access(serial);
  for await (const part of access.read('modem', [{ offset: 0, bytes: 1 << 20 }])) void part;
  expect(access.cable!.takeCrossed().packedBy).toBe('gzip');
});

it('is carried as it is by a phone without such a tool', () =>
  withGzip(undefined, async () => {
    await packing();
    expect(await keepAgain()).not.toContainEqual(wasPacked);
    expect(await putBack()).not.toContainEqual(wasPacked);
  }));

it('is read as it is where the phone packs otherwise than gzip', () =>
  withGzip(
    () =>
      async ({ out }) => {
        await out(Buffer.from('larder\n'));
        return 0;
      },
    async () => {
      await packing();
      expect(await keepAgain()).not.toContainEqual(wasPacked);
    },
  ));

it('comes out right, or not at all, whatever the tool does', async () => {
  for (let seed = 0; seed < faultSeeds(1); seed++)
    await withGzip(mangling(numbersOf(seed * 13 + 1)), async () => {
      await packing();
      await keepAgain();
      await packing();
      await putBack();
    });
});

/** So that it is known what the phone packs with. */
async function readSome(): Promise<void> {
  for await (const part of app.bench.access(serial).read('modem', [{ offset: 0, bytes: 1 << 20 }])) void part;
}

it('goes on as it is where the tool says that it failed, though all it gave was right', async () => {
  const failing =
    (own: Command): Command =>
    async (process) => {
      const words = process.args.includes('-d') || process.args.includes('-1');
      const status = await own(process);
      return words && isBusy ? 1 : status;
    };
  let isBusy = false;
  await withGzip(failing, async () => {
    await packing();
    await readSome();
    isBusy = true;
    expect(await keepAgain()).toContainEqual(expect.stringMatching(/does not pack by gzip/));
    isBusy = false;
    await packing();
    await readSome();
    isBusy = true;
    await putBack();
  });
});

/** Of what it prints one byte is wrong, behind the first hundred thousand. */
const damaging =
  (own: Command): Command =>
  (process) => {
    let until = 100_000;
    return own({
      ...process,
      out: (bytes) => {
        const given = Buffer.from(bytes);
        if (until >= 0 && until < given.length) given[until]! ^= 0x10;
        until -= given.length;
        return process.out(given);
      },
    });
  };

it('is read again, as it is, where what was packed comes damaged', () =>
  withGzip(damaging, async () => {
    await packing();
    expect((await keepAgain()).join('\n')).toContain('What the phone packed by gzip cannot be unpacked');
  }));

it('is written again, as it is, where the phone unpacks it wrongly', () =>
  withGzip(damaging, async () => {
    await packing();
    const log = (await putBack()).join('\n');
    expect(log).toContain('It is written again.');
    expect(log.match(/packed by gzip/g)).toHaveLength(1);
  }));

it('is kept but for a page that cannot be read', async () => {
  await packing();
  const { faults } = bench.phone.flash;
  const { startBytes } = bench.phone.flash.list().find(({ name }) => name === 'modem')!;
  faults.set('worn', [{ offset: startBytes + (2 << 20), bytes: 4096 }]);
  try {
    const start = { picked: ['modem'], label: 'worn', confirmed: ['identity-left-out'], readAll: true };
    const { id } = await startImaging(app, serial, start);
    expect(await app.engine.ended(id)).toMatchObject({ state: 'incomplete' });
    expect(logOf(id).join('\n')).toContain('the phone cannot read');
  } finally {
    faults.clear();
  }
});
