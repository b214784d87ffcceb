// Several sets at once: what is refused of one does not keep the others.
import { afterAll, expect, it } from 'vitest';
import { LarderBench } from '../../../testing/larder.ts';
import { changeSome } from './some-sets.ts';

const bench = new LarderBench();
afterAll(() => bench.close());

it('changes those that it may, and tells why not of the others', async () => {
  const open = await bench.open();
  const { larder } = open;
  const ids: string[] = [];
  for (const label of ['one', 'two', 'three'])
    ids.push(await bench.keep(open, label, { boot: Buffer.alloc(9, 1) }));
  await larder.change(ids[1]!, { pinned: true });
  const gone = '00000000-0000-4000-8000-000000000000';
  const done = await changeSome(larder, [...ids, gone], { binned: true });
  expect(done.changed).toEqual([ids[0], ids[2]]);
  expect(done.refused.map(({ label }) => label)).toEqual(['two', gone]);
  expect(done.refused[0]!.why).toMatch(/pinned/);
  const binned = larder.list().filter(({ binnedAt }) => binnedAt !== undefined);
  expect(binned.map(({ label }) => label).sort()).toEqual(['one', 'three']);
  expect(await changeSome(larder, ids, { binned: false, pinned: false })).toMatchObject({ refused: [] });
});
