// Two sets are compared; judged by `cmp -l` of the images, and by `diff -r` and `find` over their trees as debugfs unpacks them.
import { execFileSync, spawnSync } from 'node:child_process';
import {
  chmodSync,
  chownSync,
  mkdirSync,
  mkdtempSync,
  readFileSync,
  renameSync,
  rmSync,
  symlinkSync,
  utimesSync,
  writeFileSync,
} from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { LarderBench, type OpenLarder } from '../../../testing/larder.ts';
import { numbersOf } from '../../../testing/numbers.ts';
import { Inside } from '../inside/inside.ts';
import { chunkBytes } from '../../shelf/packs/pack-format.ts';
import { Comparing } from './comparing.ts';

const bench = new LarderBench();
let open: OpenLarder;
let comparing: Comparing;
beforeAll(async () => {
  open = await bench.open();
  comparing = new Comparing(open.larder, new Inside(open.larder));
});
afterAll(() => bench.close());

const kept = async (label: string, images: Record<string, Uint8Array>) => bench.keep(open, label, images);
const run = (command: string, ...args: string[]) =>
  execFileSync(command, args, { encoding: 'utf8', maxBuffer: 1 << 28, stdio: ['ignore', 'pipe', 'ignore'] });

/** A phone's small file system, as files in a folder. */
function makeTree(path: string, number: (below: number) => number): void {
  for (const folder of ['etc', 'app/notes', 'app/tide', 'lib'])
    mkdirSync(join(path, folder), { recursive: true });
  writeFileSync(join(path, 'build.prop'), 'ro.build.id=A1\nro.build.version.release=9\n# end\n');
  writeFileSync(join(path, 'etc/hosts'), '127.0.0.1 localhost\n');
  symlinkSync('hosts', join(path, 'etc/names'));
  for (let i = 0; i < 40; i++) {
    const bytes = Buffer.alloc(1 + number(200_000));
    for (let at = 0; at < bytes.length; at += 512) bytes[at] = number(256);
    writeFileSync(join(path, ['app/notes', 'app/tide', 'lib'][i % 3]!, `file-${i}`), bytes);
  }
}

/** What an app, an update and a technician may have done to it. */
function changeTree(path: string, number: (below: number) => number): void {
  const at = (name: string) => join(path, name);
  writeFileSync(at('build.prop'), 'ro.build.id=B7\nro.build.version.release=9\nro.new=1\n# end\n');
  const same = readFileSync(at('app/notes/file-0'));
  same[number(same.length)]! ^= 1;
  writeFileSync(at('app/notes/file-0'), same);
  writeFileSync(at('lib/new'), Buffer.alloc(1 + number(50_000), 7));
  rmSync(at('app/tide/file-4'));
  renameSync(at('lib/file-2'), at('etc/moved'));
  chmodSync(at('lib/file-5'), 0o600);
  chownSync(at('lib/file-8'), 10_057, 10_057);
  rmSync(at('etc/names'));
  symlinkSync('../build.prop', at('etc/names'));
  utimesSync(at('lib/file-11'), 1_700_000_000, 1_700_000_000);
  mkdirSync(at('app/second/deep'), { recursive: true });
  writeFileSync(at('app/second/deep/er'), 'new');
}

function imageOf(tree: string, path: string): Buffer {
  writeFileSync(path, '');
  run('truncate', '-s', '48M', path);
  run('mke2fs', '-q', '-F', '-t', 'ext4', '-b', '4096', '-d', tree, path);
  return readFileSync(path);
}

/** Chunks in which `cmp` finds a byte that differs. */
function differingChunks(a: string, b: string): number[] {
  const { stdout } = spawnSync('cmp', ['-l', a, b], { encoding: 'utf8', maxBuffer: 1 << 29 });
  const chunks = new Set<number>();
  for (const [, at] of stdout.matchAll(/^ *(\d+) /gm)) chunks.add(Math.floor((Number(at) - 1) / chunkBytes));
  return [...chunks].sort((x, y) => x - y);
}

/** Paths of a tree with type, owner, mode, size, target and time, by path. */
function listed(tree: string): Map<string, string> {
  const text = run('find', tree, '-mindepth', '1', '-printf', '%P\\t%y %U:%G %m %l %T@\\n');
  return new Map(
    text
      .trim()
      .split('\n')
      .map((line) => line.split('\t') as [string, string]),
  );
}

describe.each([1, 2, 3])('seed %i', (seed) => {
  const number = numbersOf(seed * 977);
  const folder = mkdtempSync(join(bench.folder.path, 'trees-'));
  const [before, after] = [join(folder, 'before'), join(folder, 'after')];
  let sides: { before: string; after: string };

  beforeAll(async () => {
    mkdirSync(before);
    makeTree(before, number);
    run('cp', '-a', before, after);
    changeTree(after, number);
    sides = {
      before: await kept(`before ${seed}`, {
        system: imageOf(before, `${before}.img`),
        logo: Buffer.alloc(300_000, 1),
      }),
      after: await kept(`after ${seed}`, {
        system: imageOf(after, `${after}.img`),
        logo: Buffer.alloc(300_000, 1),
      }),
    };
  });

  it('by block is as cmp -l has it', async () => {
    const { partitions } = await comparing.sets(sides);
    expect(partitions.map(({ partition, state }) => `${partition} ${state}`)).toEqual([
      'system differs',
      'logo same',
    ]);
    const expected = differingChunks(`${before}.img`, `${after}.img`);
    expect(expected.length).toBeGreaterThan(0);
    expect(partitions[0]!.differingBytes).toBe(expected.length * chunkBytes);
    return comparing.partition(sides, 'system').then(({ blocks, trees }) => {
      const chunks = blocks!.ranges.flatMap(({ offset, bytes }) =>
        Array.from({ length: Math.ceil(bytes / chunkBytes) }, (_, i) => offset / chunkBytes + i),
      );
      expect(chunks).toEqual(expected);
      expect(trees).toEqual(['']);
    });
  });

  it('by file is as diff -r and find have it', async () => {
    const { differences, counts } = await comparing.files(sides, 'system', '');
    const paths = (...states: string[]) =>
      differences
        .filter(({ state }) => states.includes(state))
        .map(({ path }) => path.slice(1))
        .sort();
    const [was, is] = [listed(before), listed(after)];
    const added = [...is.keys()].filter((path) => !was.has(path)).sort();
    const gone = [...was.keys()].filter((path) => !is.has(path)).sort();
    expect(paths('added', 'elsewhere')).toEqual(added);
    expect(paths('gone')).toEqual(gone.filter((path) => path !== 'lib/file-2'));
    expect(differences.find(({ state }) => state === 'elsewhere')).toMatchObject({
      path: '/etc/moved',
      from: '/lib/file-2',
    });
    const { stdout } = spawnSync('diff', ['-rq', '--no-dereference', before, after], { encoding: 'utf8' });
    const contents = [...stdout.matchAll(/^Files (\S+) and \S+ differ$/gm)].map(([, path]) =>
      path!.slice(before.length + 1),
    );
    expect(
      differences
        .filter(({ changes }) => changes.includes('content'))
        .map(({ path }) => path.slice(1))
        .sort(),
    ).toEqual(contents.sort());
    // What find lists differently, but for the times of folders, has changed.
    const line = (text: string) => (text.startsWith('d') ? text.replace(/ \S+$/, '') : text);
    const changed = [...was]
      .filter(([path, text]) => is.has(path) && line(is.get(path)!) !== line(text))
      .map(([path]) => path);
    expect(paths('changed')).toEqual([...new Set([...changed, ...contents])].sort());
    expect(counts).toEqual({
      added: added.length - 1,
      gone: gone.length - 1,
      changed: paths('changed').length,
      elsewhere: 1,
    });
  });

  it('as a page of its own, names each file that differs', async () => {
    const html = await comparing.page(sides);
    const { differences } = await comparing.files(sides, 'system', '');
    expect(differences.length).toBeGreaterThan(5);
    for (const { path } of differences) expect(html).toContain(`<td>${path}</td>`);
    expect(html).toContain(`<strong>before ${seed}</strong>`);
    expect(html).not.toMatch(/<(?:script|link|img)|https?:/);
  });

  it('of a text tells the lines and the properties', async () => {
    const { hunks, properties } = await comparing.text(sides, 'system', '', '/build.prop');
    expect(properties).toEqual([
      { name: 'ro.build.id', before: 'A1', after: 'B7' },
      { name: 'ro.new', before: undefined, after: '1' },
    ]);
    const { stdout } = spawnSync('diff', ['-U3', join(before, 'build.prop'), join(after, 'build.prop')], {
      encoding: 'utf8',
    });
    expect(hunks!.flatMap(({ lines }) => lines)).toEqual(stdout.trimEnd().split('\n').slice(3));
  });
});

it('what was changed in place is not read where nothing of it changed', async () => {
  const folder = mkdtempSync(join(bench.folder.path, 'in-place-'));
  makeTree(folder, numbersOf(5));
  const first = imageOf(folder, `${folder}.img`);
  run('debugfs', '-w', '-R', `rm /lib/file-2`, `${folder}.img`);
  run('debugfs', '-w', '-R', `write ${join(folder, 'app/tide/file-1')} /lib/again`, `${folder}.img`);
  const sides = {
    before: await kept('as made', { system: first }),
    after: await kept('in place', { system: readFileSync(`${folder}.img`) }),
  };
  const { differences } = await comparing.files(sides, 'system', '');
  expect(differences.map(({ path, state }) => `${state} ${path}`)).toEqual([
    'added /lib/again',
    'gone /lib/file-2',
  ]);
});

it('of an image that is no file system, and of one that is not there, says so', async () => {
  const sides = {
    before: await kept('one', { misc: Buffer.alloc(9000, 1) }),
    after: await kept('other', { misc: Buffer.alloc(9000, 2) }),
  };
  expect(await comparing.partition(sides, 'misc')).toMatchObject({
    trees: [],
    blocks: { differingBytes: 9000 },
  });
  await expect(comparing.files(sides, 'misc', '')).rejects.toThrow(/ext4/);
  await expect(comparing.partition(sides, 'nothing')).rejects.toThrow('This set has no image of nothing.');
  await expect(comparing.sets({ ...sides, after: 'no such set' })).rejects.toThrow('There is no such set.');
});
