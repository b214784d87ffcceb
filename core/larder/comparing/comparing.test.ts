import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { inspection } from '../../formats/inspect/inspection.ts';
import { compareBlocks } from './blocks.ts';
import { compareFacts } from './facts.ts';
import { differingEntries, walkOrder, type TreeEntry } from './files.ts';
import { compareProperties, propertiesIn } from './lines.ts';
import { comparePartitions } from './partitions.ts';

describe('blocks', () => {
  const list = (bytes: number, ...chunks: string[]) => ({ bytes, chunkBytes: 10, chunks });

  it('are the chunks that differ, and those that only one image has', () => {
    expect(compareBlocks(list(35, 'a', 'b', '0', 'c'), list(35, 'a', 'x', 'y', 'c'), 2)).toEqual({
      chunkBytes: 10,
      bytes: 35,
      differingBytes: 20,
      ranges: [{ offset: 10, bytes: 20 }],
      strip: [0.5, 10 / 15],
    });
    expect(compareBlocks(list(10, 'a'), list(25, 'a', '0', '0')).ranges).toEqual([{ offset: 10, bytes: 15 }]);
  });

  it('tells zeros of one length from zeros of another', () => {
    expect(compareBlocks(list(12, '0', '0'), list(15, '0', '0')).ranges).toEqual([{ offset: 10, bytes: 5 }]);
  });

  it('cover what differs and nothing else, whatever differs', () => {
    const chunks = fc.array(fc.constantFrom('0', 'a', 'b'), { minLength: 0, maxLength: 40 });
    fc.assert(
      fc.property(chunks, chunks, fc.integer({ min: 1, max: 50 }), (a, b, parts) => {
        const of = (names: string[]) => ({ bytes: names.length * 10, chunkBytes: 10, chunks: names });
        const { ranges, differingBytes, strip, bytes } = compareBlocks(of(a), of(b), parts);
        const differs = Array.from({ length: Math.max(a.length, b.length) }, (_, i) => a[i] !== b[i]);
        const covered = differs.map((_, i) =>
          ranges.some(({ offset, bytes }) => i * 10 >= offset && i * 10 < offset + bytes),
        );
        expect(covered).toEqual(differs);
        expect(differingBytes).toBe(differs.filter(Boolean).length * 10);
        expect(strip.length).toBe(Math.min(parts, bytes / 10));
        expect(strip.every((share) => share >= 0 && share <= 1)).toBe(true);
      }),
    );
  });
});

describe('files', () => {
  const entry = (path: string, over: Partial<TreeEntry> = {}): TreeEntry => ({
    path,
    kind: 'file',
    bytes: 1,
    mode: 0o644,
    uid: 0,
    gid: 0,
    modifiedAt: 0,
    linkTarget: undefined,
    label: undefined,
    fault: undefined,
    ...over,
  });
  async function* walking(entries: readonly TreeEntry[]) {
    for (const each of [...entries].sort((a, b) => walkOrder(a.path, b.path)))
      yield await Promise.resolve(each);
  }
  async function differing(a: readonly TreeEntry[], b: readonly TreeEntry[], isSame = true) {
    const found: [string, string][] = [];
    const contents = { isSame: () => Promise.resolve(isSame) };
    for await (const { path, before, after, changes } of differingEntries(walking(a), walking(b), contents))
      found.push([path, !before ? 'added' : !after ? 'gone' : changes.join(' ')]);
    return found;
  }

  it('come, go, and are other ones in what they are, hold, and whose they are', async () => {
    const a = [
      entry('/a'),
      entry('/b'),
      entry('/c', { kind: 'folder' }),
      entry('/d', { kind: 'link', linkTarget: 'a' }),
      entry('/e'),
      entry('/f', { fault: 'damaged' }),
      entry('/g', { kind: 'folder' }),
      entry('/h'),
    ];
    const b = [
      entry('/a', { bytes: 2, modifiedAt: 5 }),
      entry('/c'),
      entry('/d', { kind: 'link', linkTarget: 'b' }),
      entry('/e', { uid: 1000, mode: 0o600, label: 'u:object_r:system_data_file:s0' }),
      entry('/f'),
      entry('/g', { kind: 'folder', modifiedAt: 9 }),
      entry('/h'),
      entry('/i'),
    ];
    expect(await differing(a, b)).toEqual([
      ['/a', 'content time'],
      ['/b', 'gone'],
      ['/c', 'kind'],
      ['/d', 'link'],
      ['/e', 'owner mode label'],
      ['/f', 'unreadable'],
      ['/i', 'added'],
    ]);
    expect(await differing([entry('/h')], [entry('/h')], false)).toEqual([['/h', 'content']]);
  });

  it('are met in the same order, folders before what they hold', async () => {
    const segment = fc.constantFrom('a', 'a-b', 'a.b', 'b', 'ab', 'é');
    const path = fc.array(segment, { minLength: 1, maxLength: 4 }).map((parts) => `/${parts.join('/')}`);
    const paths = fc.uniqueArray(path, { maxLength: 30 });
    await fc.assert(
      fc.asyncProperty(paths, paths, async (a, b) => {
        const found = await differing(
          a.map((each) => entry(each)),
          b.map((each) => entry(each)),
        );
        expect(
          found
            .filter(([, is]) => is === 'gone')
            .map(([each]) => each)
            .sort(),
        ).toEqual(a.filter((each) => !b.includes(each)).sort());
        expect(
          found
            .filter(([, is]) => is === 'added')
            .map(([each]) => each)
            .sort(),
        ).toEqual(b.filter((each) => !a.includes(each)).sort());
      }),
    );
  });
});

describe('properties', () => {
  it('are compared by name, the last of a name counting', () => {
    const before = '# begin\nro.a=1\nro.b = two words\n\nro.c=3\nimport /vendor/x.prop\nro.a=4\n';
    const after = 'ro.a=4\nro.b=two\nro.d=\n';
    expect(compareProperties(before, after)).toEqual([
      { name: 'ro.b', before: 'two words', after: 'two' },
      { name: 'ro.c', before: '3', after: undefined },
      { name: 'ro.d', before: undefined, after: '' },
    ]);
  });

  it('are none of a text that is no list of them', () => {
    expect(propertiesIn('just words\n')).toBeUndefined();
    expect(propertiesIn('')).toBeUndefined();
    expect(compareProperties('a=1', 'text')).toBeUndefined();
  });
});

it('facts are compared by where they stand', () => {
  const of = (patch: string, key: string) =>
    inspection('boot image', 100, {
      fields: { 'patch level': patch, 'page size': 4096 },
      inner: [{ name: 'metadata', inspection: inspection('vbmeta', 10, { fields: { key } }) }],
    });
  expect(compareFacts(of('2026-01', 'aa'), of('2026-05', 'bb'))).toEqual([
    { within: [], name: 'patch level', before: '2026-01', after: '2026-05' },
    { within: ['metadata'], name: 'key', before: 'aa', after: 'bb' },
  ]);
  expect(compareFacts(of('2026-01', 'aa'), inspection('raw', 100))).toContainEqual({
    within: ['metadata'],
    name: 'key',
    before: 'aa',
    after: undefined,
  });
});

it('partitions are compared by digest and size', () => {
  const image = (partition: string, sha256: string, isPartial = false) => ({
    partition,
    sha256,
    bytes: 1,
    isPartial,
  });
  const found = comparePartitions(
    [image('boot', 'a'), image('modem', 'b'), image('efs', 'c'), image('userdata', 'd')],
    [image('modem', 'b'), image('boot', 'x'), image('userdata', 'd', true), image('persist', 'e')],
  );
  expect(found.map(({ partition, state }) => `${partition} ${state}`)).toEqual([
    'boot differs',
    'modem same',
    'efs only before',
    'userdata differs',
    'persist only after',
  ]);
});
