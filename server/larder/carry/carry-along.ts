import { createHash } from 'node:crypto';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { Readable } from 'node:stream';
import { once } from 'node:events';
import { ZipFile } from 'yazl';
import { checksumLine } from '@keen-larder/core/formats/checksum-files/checksum-files.ts';
import type { CarryAlongOffer, CopyView, RecordsView } from '@keen-larder/contract/copies.ts';
import {
  carryAlongSheet,
  planOf,
  type CarriedApp,
  type CarriedFolder,
  type OfferedRecords,
} from '@keen-larder/core/apps/carry-along.ts';
import { folderKinds } from '@keen-larder/core/apps/copies.ts';
import { describeCopy, type CopyDescription } from '@keen-larder/core/apps/description.ts';
import { EntryPlacer } from '@keen-larder/core/apps/entries.ts';
import { appIdOf, sharedStorageOwners } from '@keen-larder/core/apps/ids.ts';
import { whyNotCarried, type CarriedRecords } from '@keen-larder/core/records/carrying.ts';
import { fileNameOf } from '@keen-larder/core/larder/label.ts';
import { Problem } from '../../failures.ts';
import { rewrittenTar } from '../../formats/tar-rewrite.ts';
import { digestedFiles, type ArchivedEntry } from '../../formats/tar.ts';
import { readImage } from '../../shelf/image-reader.ts';
import { digested } from '../export.ts';
import type { Larder } from '../larder.ts';

const script = readFileSync(join(import.meta.dirname, 'update-binary.sh'), 'utf8');
/** The platform's own place for what a recovery runs of an archive (AOSP, bootable/recovery, install.cpp). */
const scriptName = 'META-INF/com/google/android/update-binary';
/** Some recoveries look for it before they look for the other one (common practice, no published source). */
const listName = 'META-INF/com/google/android/updater-script';

/** Ids of copies of apps and of records. */
export interface ToCarry {
  readonly apps: readonly string[];
  readonly records: readonly string[];
}

/** Copies that may go into one archive, and the model that it is for. */
export interface Carried {
  readonly copies: readonly CopyView[];
  readonly records: readonly RecordsView[];
  readonly model: string;
  /** Of the file. */
  readonly name: string;
}

const isDamaged = ({ parts }: Pick<CopyView, 'parts'> | Pick<RecordsView, 'parts'>) =>
  parts.some(({ damage }) => damage !== undefined);

const whyNot = (copy: RecordsView): string | undefined =>
  isDamaged(copy) ? 'It is damaged on the shelf.' : whyNotCarried(copy.records);

function sheetOf(larder: Larder, copies: readonly CopyView[], records: readonly RecordsView[]) {
  const modelOf = (serial: string) => larder.phone(serial)?.model ?? '';
  return carryAlongSheet(
    copies.map((copy) => ({ ...copy, model: modelOf(copy.serial), isDamaged: isDamaged(copy) })),
    records.map((copy) => ({
      ...{ records: copy.records, model: modelOf(copy.serial), isDamaged: isDamaged(copy) },
    })),
  );
}

/**
 * What an archive of some copies would be, and which records could go along: those that are picked, and of the same phones the newest
 * of the other kinds. What of the picked may not travel is left out.
 * @throws Problem 404
 */
export function carrySheet(larder: Larder, { apps, records }: ToCarry): CarryAlongOffer {
  const copies = apps.map((id) => larder.copies.one(id));
  const picked = records.map((id) => larder.records.one(id));
  const serials = new Set(copies.map(({ serial }) => serial));
  const offered = [...picked];
  for (const copy of larder.records.list()) {
    const isThere = offered.some((other) => other.records.kind === copy.records.kind);
    if (serials.has(copy.serial) && copy.binnedAt === undefined && !isThere) offered.push(copy);
  }
  const going = picked.filter((copy) => whyNot(copy) === undefined);
  return { ...sheetOf(larder, copies, going), offered: offered.map((copy) => offerOf(larder, copy)) };
}

const offerOf = (larder: Larder, copy: RecordsView): OfferedRecords => ({
  id: copy.id,
  kind: copy.records.kind,
  nickname: larder.phone(copy.serial)?.nickname ?? copy.serial,
  createdAt: copy.createdAt,
  count: copy.records.count,
  bytes: copy.records.files.reduce((sum, { bytes }) => sum + bytes, 0),
  whyNot: whyNot(copy),
});

/** @throws Problem saying why they cannot go into one archive */
export function carried(larder: Larder, picked: ToCarry): Carried {
  const copies = picked.apps.map((id) => larder.copies.one(id));
  const records = picked.records.map((id) => larder.records.one(id));
  const { model, checks } = sheetOf(larder, copies, records);
  const stops = checks.filter(({ severity }) => severity === 'stop');
  if (stops.length > 0) throw new Problem(422, stops.map(({ sentence }) => sentence).join(' '), stops);
  const what = copies.length > 0 ? 'Apps' : 'Records';
  const name = `${fileNameOf(`${what} for ${model} ${dayOf(newestOf([...copies, ...records]))}`)}.zip`;
  return { copies, records, model, name };
}

/**
 * An archive that a recovery installs by itself: programs, data, and the script that puts them in place. Its bytes come as they are
 * read from the shelf.
 */
export function carryAlongZip(larder: Larder, { copies, records, model }: Carried): Readable {
  const zip = new ZipFile();
  const out = zip.outputStream as Readable;
  const mtime = newestOf([...copies, ...records]);
  const sums: string[] = [];
  // Whoever took it may go away in the middle: nothing more is read then.
  const gone = new AbortController();
  out.once('close', () => gone.abort());
  const put = async (name: string, content: AsyncIterable<Uint8Array>, compress = true) => {
    const { bytes, digests } = digested(content);
    const stream = Readable.from(bytes, { objectMode: false, signal: gone.signal });
    stream.once('error', (error) => out.destroy(error));
    zip.addReadStream(stream, name, { mtime, mode: name === scriptName ? 0o100755 : 0o100644, compress });
    await once(stream, 'end');
    sums.push(checksumLine(digests().sha256, name));
  };
  const text = (name: string, content: string) => put(name, Readable.from([Buffer.from(content)]));
  const fill = async () => {
    const apps: CarriedApp[] = [];
    for (const [i, copy] of copies.entries()) {
      const members = `carry/${i + 1}`;
      const part = (name: string) => readImage(larder.shelf, larder.copies.part(copy.id, name));
      const programs = copy.parts
        .filter(({ kind }) => kind === 'program')
        .map(({ name, sha256 }) => ({ name, sha256, member: `${members}/${name}` }));
      // An APK is packed already.
      for (const { name, member } of programs) await put(member, part(name), false);
      const folders: CarriedFolder[] = [];
      for (const kind of folderKinds) {
        const kept = copy.parts.find((each) => each.kind === kind);
        if (!kept) continue;
        const entries = new Map<string, ArchivedEntry>();
        const place = { user: 0, appId: appIdOf(copy.app.uid) };
        const isShared = kind !== 'data' && kind !== 'device-data';
        const placer = new EntryPlacer(place, place, undefined, isShared ? sharedStorageOwners : []);
        const placed = rewrittenTar(part(kept.name), (entry) => {
          // It is labelled as its place on the phone is.
          const { path, type, target, uid, gid, mode } = placer.place(entry);
          return { path, type, target, uid, gid, mode };
        });
        const member = `${members}/${kept.name}`;
        await put(member, digestedFiles(placed, entries));
        folders.push({ kind, member, sum: sumOf(entries) });
      }
      apps.push({ copy, programs, folders });
    }
    const carriedRecords: CarriedRecords[] = [];
    for (const [i, copy] of records.entries()) {
      const items: CarriedRecords['items'][number][] = [];
      for (const { name, kind, sha256: digest } of copy.parts) {
        const file = copy.records.files.find(({ path }) => path === `/${name}`);
        if (kind !== 'raw') continue;
        if (!file) throw new Error(`The copy of ${copy.records.kind} does not say whose ${name} was.`);
        const member = `carry/records/${i + 1}/${items.length + 1}`;
        await put(member, readImage(larder.shelf, larder.records.part(copy.id, name)));
        items.push({ member, file, sha256: digest });
      }
      carriedRecords.push({ records: copy.records, items });
    }
    const plan = planOf(apps, model, carriedRecords);
    const about = {
      apps: copies.map((copy) => withoutPhone(describeCopy(copy, larder.phone(copy.serial)!))),
      records: records.map(({ createdAt, records: of }) => ({
        copiedAt: new Date(createdAt).toISOString(),
        ...{ kind: of.kind, count: of.count, sdk: of.sdk, androidVersion: of.androidVersion },
      })),
    };
    await text('carry/plan', plan);
    await text('carry/about.json', `${JSON.stringify(about, null, 2)}\n`);
    await text(listName, '# The script beside this one does it all.\n');
    await text(scriptName, script.replace('@PLAN@', sha256(plan)));
    await text('SHA256SUMS', sums.join(''));
    zip.end();
  };
  fill().catch((error: unknown) => out.destroy(error as Error));
  return out;
}

/** What an archive tells of a copy: nothing by which the phone that it is of could be known. */
function withoutPhone({ phone, app, ...others }: CopyDescription) {
  const { maker, model } = phone;
  const home = app.home && { ...app.home, androidId: undefined };
  return { ...others, phone: { maker, model }, app: { ...app, home } };
}

const newestOf = (copies: readonly { readonly createdAt: number }[]) =>
  new Date(Math.max(...copies.map(({ createdAt }) => createdAt)));
const dayOf = (time: Date) => time.toISOString().slice(0, 10);

const sha256 = (content: string) => createHash('sha256').update(content).digest('hex');

/** Of what `find . -type f -exec sha256sum {} + | LC_ALL=C sort` prints where an archive was unpacked. */
function sumOf(entries: ReadonlyMap<string, ArchivedEntry>): string {
  const digestOf = (name: string): string | undefined => {
    const entry = entries.get(name);
    return entry?.type === 'link' && entry.target !== undefined ? digestOf(entry.target) : entry?.sha256;
  };
  const lines = [...entries.keys()].flatMap((name) => {
    const digest = digestOf(name);
    // A line feed within a name makes two lines of it, for whoever sorts lines.
    return digest ? `${digest}  ./${name.replace(/^\.\//, '')}`.split('\n') : [];
  });
  return sha256(lines.length === 0 ? '' : `${sortedByBytes(lines).join('\n')}\n`);
}

const sortedByBytes = (lines: readonly string[]): string[] =>
  lines
    .map((line) => Buffer.from(line))
    .sort(Buffer.compare)
    .map((line) => line.toString());
