/**
 * `npm run bench:larder`: a larder of 10,000 sets of 300 phones and 2,000,000 names of files, without their bytes; what finding and
 * listing take.
 */
import { createHash, randomUUID } from 'node:crypto';
import { mkdtempSync, rmSync, statSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { performance } from 'node:perf_hooks';
import { sizeText } from '@keen-larder/core/bytes/units.ts';
import { nameStatements, type NamedFile } from '@keen-larder/server/database/names/names.ts';
import { openDatabase } from '@keen-larder/server/database/open.ts';
import { phoneStatements } from '@keen-larder/server/database/phones.ts';
import { setStatements, type ImageRow } from '@keen-larder/server/database/sets.ts';
import { Finding } from '@keen-larder/server/larder/finding/finding.ts';
import { SetList } from '@keen-larder/server/larder/set-views.ts';
import { numbersOf } from '../testing/numbers.ts';
import { measureAxis } from './pages/axis-page.ts';

const setCount = 10_000;
const phoneCount = 300;
const treeCount = 200;
const filesInTree = 10_000;
const partitions = ['boot', 'system', 'vendor', 'efs', 'persist'] as const;

const say = (line: string) => void process.stdout.write(`${line}\n`);
const folder = mkdtempSync(join(tmpdir(), 'keen-larder-bench-'));
const number = numbersOf(20_261_129);
const pick = <T>(list: readonly T[]): T => list[number(list.length)]!;
const digestOf = (text: string) => createHash('sha256').update(text).digest();

const syllables = ['ka', 'ri', 'to', 'mel', 'os', 'ven', 'qua', 'lin', 'dor', 'pe', 'sha', 'tul', 'bo', 'ne'];
const word = () => Array.from({ length: 2 + number(3) }, () => pick(syllables)).join('');
const endings = ['.so', '.apk', '.xml', '.rc', '.jar', '.odex', '.conf', '.ttf', '', '.png'];
const folders = Array.from(
  { length: 3000 },
  () => `/${pick(['system', 'vendor', 'product'])}/${word()}/${word()}`,
);

/** How long something takes: the middle of some tries, after one that does not count. */
function measured(work: () => unknown, tries = 9): number {
  work();
  const times = Array.from({ length: tries }, () => {
    const since = performance.now();
    work();
    return performance.now() - since;
  });
  return times.sort((a, b) => a - b)[Math.floor(tries / 2)]!;
}

try {
  const db = openDatabase(join(folder, 'catalogue.sqlite'));
  const [phones, sets] = [phoneStatements(db), setStatements(db)];
  db.transaction(() => {
    for (let i = 0; i < phoneCount; i++)
      phones.seen({
        serial: `TW3K-${i}`,
        maker: 'Tidewell',
        model: 'Knot 3',
        nickname: `Hut ${i}`,
        lastSeenAt: i,
      });
    for (let i = 0; i < setCount; i++) {
      const id = randomUUID();
      const images = partitions.map((partition, position): ImageRow => ({
        ...{ setId: id, position, partition, role: 'system', bytes: 1 << 28, chunkBytes: 1 << 18 },
        sha256: partition === 'system' ? digestOf(`tree ${i % treeCount}`) : digestOf(`${i} ${partition}`),
        chunks: digestOf(`chunk ${i}`),
        ...{ fileSystem: 'ext4', usedBytes: null, damage: null, kind: 'block' },
        ...{ ranges: null, unsettled: null, proof: 'sha256' },
      }));
      sets.insert(
        {
          ...{ id, label: `Knot 3 · ${word()} · ${i}`, note: i % 7 === 0 ? `${word()} ${word()}` : '' },
          ...{ serial: `TW3K-${i % phoneCount}`, mode: 'recovery', elapsedMs: 1, addedBytes: 1 },
          condition: JSON.stringify({ kind: 'stock', build: `TideOS 9 TW3.${260_000 + (i % 900)}.004` }),
          ...{
            createdAt: i * 3_600_000,
            verifiedAt: null,
            binnedAt: null,
            binnedMs: null,
            keptBy: null,
            origin: 'phone',
            pinned: 0,
          },
        },
        images,
      );
    }
  })();

  const path = join(folder, 'names.sqlite');
  const names = nameStatements(path);
  const since = performance.now();
  for (let tree = 0; tree < treeCount; tree++) {
    names.add(digestOf(`tree ${tree}`), [''], false);
    for (let at = 0; at < filesInTree; at += 400) {
      const batch = Array.from({ length: 400 }, (): NamedFile => {
        const name = `${word()}${number(90_000)}${pick(endings)}`;
        return { folder: pick(folders), name, kind: 'file', bytes: number(1 << 20) };
      });
      names.addFiles(tree + 1, batch, `/${at}`);
    }
  }
  const { files } = names.totals();
  say(
    `${files.toLocaleString('en')} names in ${((performance.now() - since) / 1000).toFixed(0)} s, ${sizeText(statSync(path).size)}`,
  );

  const larder = {
    copies: { list: () => [] },
    detail: (id: string) => list.all().find((set) => set.id === id)!,
  };
  const list = new SetList(sets);
  const finding = new Finding({
    ...{ larder, names, sets, phones },
    copies: { holders: () => [] },
    alone: { holders: () => [], sets: () => [] },
  });
  for (const text of [
    'kari',
    'lib',
    'to',
    'venquamel1',
    'system/kari melos.so',
    'Hut 17',
    '260123',
    '9f86d081884c',
  ])
    say(`find “${text}”`.padEnd(34) + `${measured(() => finding.find(text)).toFixed(1)} ms`);
  say(
    'list of all sets, the first time'.padEnd(34) +
      `${measured(() => new SetList(sets).all(), 5).toFixed(0)} ms`,
  );
  const [some] = list.all();
  let count = 0;
  const change = () => {
    const { revision } = list.since(undefined);
    const row = { ...some!, binnedAt: null, binnedMs: null, pinned: 0 };
    sets.change({ ...row, note: `note ${count++}` });
    return JSON.stringify(list.since(revision));
  };
  say(
    'what changed, one set changed'.padEnd(34) +
      `${measured(change).toFixed(1)} ms, ${sizeText(change().length)}`,
  );
  say('list of all sets, nothing changed'.padEnd(34) + `${measured(() => list.all()).toFixed(1)} ms`);
  say(
    'as JSON'.padEnd(34) +
      `${measured(() => JSON.stringify(list.all()), 5).toFixed(0)} ms, ${sizeText(JSON.stringify(list.all()).length)}`,
  );
  const times = await measureAxis(folder, list.all());
  for (const [what, { median, most, late }] of Object.entries(times))
    say(
      `time axis, ${what}`.padEnd(34) +
        `a frame each ${median.toFixed(1)} ms, 95 of 100 within ${most.toFixed(1)} ms, ${(late * 100).toFixed(0)} % later than 25 ms (wanted: 60 a second)`,
    );
  names.close();
  db.close();
} finally {
  rmSync(folder, { recursive: true, force: true });
}
