// A set compared with its phone as it is now: what differs is what differs from a set that is taken of the phone then.
import { join } from 'node:path';
import { afterAll, beforeAll, expect, it } from 'vitest';
import { Ext4 } from '@keen-larder/core/formats/ext4/ext4.ts';
import { coarseBytes, fineBytes } from '@keen-larder/core/phone/piece-sizes.ts';
import type { PracticeBench } from '@keen-larder/standin/bench.ts';
import { overwriteFile } from '@keen-larder/standin/flash/file-writes.ts';
import type { Phone } from '@keen-larder/standin/phone/phone.ts';
import {
  keepSet,
  openOn,
  serial,
  startKnot3,
  testFolder,
  toRecovery,
  until,
} from '../../../testing/bench.ts';
import type { KeenLarder } from '../../keen-larder.ts';
import { startComparingSet } from '../../runs/imaging/comparing-set.ts';

const folder = testFolder();
let bench: PracticeBench & { phone: Phone };
let app: KeenLarder;
let kept: string;
const sides = () => ({ before: kept, after: `phone:${serial}` });
const states = async () =>
  Object.fromEntries(
    (await app.comparing.sets(sides())).partitions.map(({ partition, state }) => [partition, state]),
  );

beforeAll(async () => {
  bench = await startKnot3(join(folder.path, 'phones'));
  app = await openOn(join(folder.path, 'home'), bench);
  await toRecovery(app, bench.phone);
  kept = await keepSet(app, 'As it came', ['system', 'boot', 'logo'], { usedOnly: ['logo'] });
  const system = bench.phone.flash.partition('system')!;
  const fs = await Ext4.open(system);
  const text = Buffer.from(await fs.read((await fs.find('/build.prop'))!)).toString();
  const at = text.indexOf('ro.build.id=') + 'ro.build.id='.length;
  await overwriteFile(system, '/build.prop', at, Buffer.from('X'));
});
afterAll(async () => {
  await app.close();
  await bench.close();
  folder.remove();
});

it('is unknown until the phone was asked', async () => {
  expect(await states()).toEqual({ system: 'unknown', boot: 'unknown', logo: 'unknown' });
  const { before, after } = await app.comparing.sets(sides());
  await expect(app.comparing.partition(sides(), 'nothing')).rejects.toMatchObject({ status: 404 });
  expect([before.label, after.label, after.id]).toEqual([
    'As it came',
    'Ringing hut as it is now',
    `phone:${serial}`,
  ]);
});

it('differs where a set differs that is taken of the phone now, by block, by file and by line', async () => {
  const run = await app.engine.ended((await startComparingSet(app, serial, kept)).id);
  expect(run.outcome).toBe('system differs from “As it came”; 2 are the same.');
  expect(await states()).toEqual({ system: 'differs', boot: 'same', logo: 'same' });
  // What it told is of then, however long one looks at it.
  const asked = (await app.comparing.sets(sides())).after.createdAt;
  expect(asked).toBeGreaterThanOrEqual(run.startedAt);
  expect(asked).toBeLessThanOrEqual(run.endedAt!);

  const taken = await keepSet(app, 'Taken now', ['system']);
  const bySets = { before: kept, after: taken };
  const [withPhone, withSet] = await Promise.all(
    [sides(), bySets].map((each) => app.comparing.partition(each, 'system')),
  );
  const whole = Math.ceil(app.larder.image(kept, 'system').bytes / coarseBytes);
  expect(withPhone!.blocks!.ranges.length).toBeLessThan(whole);
  for (const { offset, bytes } of withSet!.blocks!.ranges)
    expect(
      withPhone!.blocks!.ranges.some(
        (each) => each.offset <= offset && offset + bytes <= each.offset + each.bytes + fineBytes,
      ),
    ).toBe(true);
  expect(withPhone).toMatchObject({ facts: withSet!.facts, trees: withSet!.trees });
  expect(await app.comparing.files(sides(), 'system', '')).toEqual(
    await app.comparing.files(bySets, 'system', ''),
  );
  expect(await app.comparing.text(sides(), 'system', '', '/build.prop')).toEqual(
    await app.comparing.text(bySets, 'system', '', '/build.prop'),
  );
});

it('by app: whose data changed, on the phone as in a set that is taken of it', async () => {
  const first = await keepSet(app, 'Data before', ['userdata'], { usedOnly: ['userdata'] });
  expect(await app.comparing.apps({ before: first, after: first }, 'userdata')).toEqual([]);
  const data = bench.phone.flash.partition('userdata')!;
  const tree = await app.inside.tree(first, 'userdata', '');
  for await (const { path, kind, bytes } of tree.walk())
    if (kind === 'file' && bytes > 100 && path.startsWith('/data/example.tidebook/')) {
      await overwriteFile(data, path, 50, Buffer.from('changed'));
      break;
    }
  const second = await keepSet(app, 'Data after', ['userdata'], { usedOnly: ['userdata'] });
  const expected = [
    {
      ...{ package: 'example.tidebook', label: 'Tidebook', state: 'changed', changedFiles: 1 },
      ...{ gained: [], lost: [] },
    },
  ];
  for (const after of [second, `phone:${serial}`])
    expect(await app.comparing.apps({ before: first, after }, 'userdata')).toMatchObject(expected);
});

it('is unknown again once the phone came up anew, and 409 while it is away', async () => {
  const before = app.bench.linkIn(serial);
  void bench.phone.start('recovery');
  await until(
    'the restart',
    () => app.bench.linkIn(serial, 'recovery') !== undefined && app.bench.linkIn(serial) !== before,
  );
  expect(await states()).toEqual({ system: 'unknown', boot: 'unknown', logo: 'unknown' });
  bench.phone.setPower(false);
  await until('its end', () => app.bench.linkIn(serial) === undefined);
  await expect(app.comparing.sets(sides())).rejects.toMatchObject({ status: 409 });
  await expect(app.comparing.sets({ ...sides(), after: 'phone:nobody' })).rejects.toMatchObject({
    status: 404,
  });
});
