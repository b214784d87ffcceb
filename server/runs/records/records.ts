import { onePiece } from '@keen-larder/core/bytes/one-piece.ts';
import { posix } from 'node:path';
import { pack } from 'tar-stream';
import type { RecordsOnPhone, RecordsView } from '@keen-larder/contract/copies.ts';
import type { KeepingRecordsStart, PuttingRecordsStart } from '@keen-larder/contract/requests.ts';
import type { RunView } from '@keen-larder/contract/runs.ts';
import {
  recordKind,
  type RecordFile,
  type RecordKindId,
  type RecordsPartKind,
} from '@keen-larder/core/records/kinds.ts';
import { durationText, sizeText } from '@keen-larder/core/bytes/units.ts';
import { listText } from '@keen-larder/core/runsheet/run-sheets.ts';
import type { NewPart } from '../../larder/copies.ts';
import { PhoneRefusal, type FileAccess, type FileOwner, type PhoneLink } from '../../links/phone-link.ts';
import { bytesAt, fetchRecords, findRecords } from '../../records/phone-records.ts';
import { readImage } from '../../shelf/image-reader.ts';
import { SetWriter } from '../../shelf/set-writer.ts';
import { requireArmed } from '../apps/putting-apps.ts';
import { filesOf, someOf } from '../imaging/archive-taking.ts';
import { requireClear } from '../engine/clear.ts';
import type { RunContext } from '../engine/run-context.ts';
import { PartFailure, type Run } from '../engine/run-engine.ts';
import { PhoneAtWork, type Attempt } from '../phone/phone-at-work.ts';

const root = '/data';

/** Records of a phone: what it has, and what the larder has of each kind. */
export async function recordsOnPhone(
  { bench, larder, now }: RunContext,
  serial: string,
): Promise<RecordsOnPhone[]> {
  const link = bench.link(serial);
  const files = filesOf(link);
  if (!(await files.ready())) return [];
  const kept = larder.records.list().filter(({ binnedAt }) => binnedAt === undefined);
  const copies = [
    ...kept.filter((copy) => copy.serial === serial),
    ...kept.filter((copy) => copy.serial !== serial),
  ];
  const found = await findRecords(files);
  const views: RecordsOnPhone[] = [];
  for (const each of found) {
    const { read } = await fetchRecords(files, each, now());
    views.push({
      kind: each.kind,
      files: each.files.map(({ path }) => path),
      bytes: each.bytes,
      count: each.files.length > 0 ? read.count : 0,
      fault: read.fault,
      copies: copies.filter(({ records }) => records.kind === each.kind),
    });
  }
  return views;
}

/**
 * Keeps personal records of a phone, each kind by itself.
 * @throws Problem 422 with the checks that stand in the way
 */
export async function startKeepingRecords(
  context: RunContext,
  serial: string,
  start: KeepingRecordsStart,
): Promise<RunView> {
  const { bench, engine, larder, recordSheets } = context;
  const sheet = await recordSheets.keeping(serial, start);
  requireClear(sheet, start.confirmed);
  const { nickname } = bench.view(serial);
  return engine.start(
    {
      kind: 'keeping-records',
      title: `Keep personal records of ${nickname}`,
      serial,
      nickname,
      mode: 'system',
      link: bench.link(serial).kind,
      canPause: true,
      steps: sheet.steps,
    },
    (run) =>
      larder.whileWriting(async () => {
        requireClear(await recordSheets.keeping(serial, start), start.confirmed);
        const beganAt = context.now();
        const kinds = sheet.steps.map(({ app }) => app as RecordKindId);
        const failed = await keepAll(context, serial, kinds, run);
        const done = kinds.length - failed.length;
        const kept = `${done === 1 ? 'One kind' : `${done} kinds`} of records kept in ${durationText(context.now() - beganAt)}.`;
        return failed.length === 0 ? kept : `Not kept: ${titles(failed)}; each step says why. ${kept}`;
      }),
  );
}

const titles = (kinds: readonly RecordKindId[]) => listText(kinds.map((kind) => recordKind(kind).title));

/** Keeps kinds by the first steps of a run; resolves to those that could not be. */
async function keepAll(
  context: RunContext,
  serial: string,
  kinds: readonly RecordKindId[],
  run: Run,
): Promise<RecordKindId[]> {
  const { bench, larder, patience } = context;
  const phone = new PhoneAtWork(
    bench,
    serial,
    'system',
    run,
    patience,
    'What was kept before it is in the larder',
  );
  const failed: RecordKindId[] = [];
  for (const [index, kind] of kinds.entries()) {
    const set = new SetWriter(larder.shelf);
    await run
      .step(index, (passed) =>
        phone
          .insist({
            what: `Keep ${recordKind(kind).title}`,
            attempt: (attempt) => keepOne(context, serial, attempt, kind, set, passed),
          })
          .catch(asPartFailure),
      )
      .catch((error: unknown) => {
        if (!(error instanceof PartFailure)) throw error;
        failed.push(kind);
        run.leftSome();
      })
      .finally(() => set.discard());
  }
  return failed;
}

function asPartFailure(error: unknown): never {
  if (error instanceof PhoneRefusal) throw new PartFailure(`${error.message} Try it again by itself.`);
  throw error;
}

async function keepOne(
  { bench, larder, now }: RunContext,
  serial: string,
  { link, signal }: Attempt,
  kind: RecordKindId,
  set: SetWriter,
  passed: (bytes: number) => void,
): Promise<string> {
  const files = filesOf(link);
  await stopAll(link, kind);
  const [found] = await findRecords(files, [kind], signal);
  if (!found || found.files.length === 0) throw new PhoneRefusal('The phone has none.');
  const { contents, read } = await fetchRecords(files, found, now(), signal);
  const parts: NewPart<RecordsPartKind>[] = [];
  for (const { path } of found.files) {
    const writer = set.image(0);
    const held = contents.get(path);
    await writer.take(held ? onePiece(held) : files.content(`${root}${path}`, signal), passed);
    parts.push({ name: path.slice(1), kind: 'raw', stored: await writer.finish() });
  }
  const digests = await files.digests(
    root,
    parts.map(({ name }) => name),
    signal,
  );
  const wrong = parts.filter(({ name, stored }) => digests.get(name) !== stored.sha256.toString('hex'));
  if (wrong.length > 0)
    throw new PhoneRefusal(`${someOf(wrong.map(({ name }) => name))} changed while it was read.`);
  if (read.readable) {
    const writer = set.image(0);
    await writer.take(onePiece(Buffer.from(read.readable.text)));
    parts.push({ name: read.readable.name, kind: 'readable', stored: await writer.finish() });
  }
  await set.seal();
  const { maker, model, condition } = bench.facts(serial);
  await larder.records.add({
    phone: { serial, maker, model, nickname: bench.view(serial).nickname },
    createdAt: now(),
    addedBytes: set.addedBytes,
    facts: {
      kind,
      count: read.count,
      files: found.files,
      sdk: await link.appWork?.sdk(),
      androidVersion: condition.androidVersion,
      fingerprint: condition.fingerprint,
    },
    parts,
  });
  larder.records.changed();
  const what = read.count === undefined ? '' : `${read.count} kept, `;
  return `${what}${sizeText(found.bytes)} in ${found.files.length} ${found.files.length === 1 ? 'file' : 'files'}, as the phone digests them`;
}

async function stopAll({ appWork }: PhoneLink, kind: RecordKindId): Promise<void> {
  for (const name of recordKind(kind).stops) await appWork?.stop(name);
}

/**
 * Puts kept records back: what is there is kept first; then the system starts anew with them.
 * @throws Problem 422 with the checks that stand in the way, or where it must be armed and is not
 */
export async function startPuttingRecords(
  context: RunContext,
  serial: string,
  start: PuttingRecordsStart,
): Promise<RunView> {
  const { bench, engine, larder, recordSheets, startLimitMs } = context;
  const sheet = await recordSheets.putting(serial, start);
  requireClear(sheet, start.confirmed);
  requireArmed(sheet, serial, start.armedWith);
  const { nickname } = bench.view(serial);
  return engine.start(
    {
      kind: 'putting-records',
      title: `Put personal records back on ${nickname}`,
      serial,
      nickname,
      mode: 'system',
      link: bench.link(serial).kind,
      steps: sheet.steps,
    },
    (run) =>
      larder.whileWriting(async () => {
        requireClear(await recordSheets.putting(serial, start), start.confirmed);
        const copies = start.copies.map((id) => larder.records.one(id));
        const keeping = sheet.steps
          .filter(({ kind }) => kind === 'copy')
          .map(({ app }) => app as RecordKindId);
        const unkept = await keepAll(context, serial, keeping, run);
        const phone = new PhoneAtWork(
          bench,
          serial,
          'system',
          run,
          context.patience,
          'What was there is in the larder',
        );
        const failed: RecordKindId[] = [];
        for (const [i, copy] of copies.entries()) {
          const { kind } = copy.records;
          await run
            .step(keeping.length + i, (passed) => {
              if (unkept.includes(kind)) throw new PartFailure('Left as it is: it could not be kept first.');
              return phone
                .insist({
                  what: `Put back ${recordKind(kind).title}`,
                  attempt: (attempt) => putOne(context, attempt, copy, passed),
                })
                .catch(asPartFailure);
            })
            .catch((error: unknown) => {
              if (!(error instanceof PartFailure)) throw error;
              failed.push(kind);
              run.leftSome();
            });
        }
        await run.step(keeping.length + copies.length, async () => {
          await bench.restart(serial, 'system');
          await run.waiting(`Waiting for ${nickname} to start.`, () =>
            bench.waitFor(serial, 'system', startLimitMs, run.signal),
          );
          return 'it has started';
        });
        const done = copies.length - failed.length;
        const kept = `${done === 1 ? 'One kind' : `${done} kinds`} of records in place and proved.`;
        return failed.length === 0 ? kept : `Not put back, and as before: ${titles(failed)}. ${kept}`;
      }),
  );
}

async function putOne(
  { larder }: RunContext,
  { link, watch, signal }: Attempt,
  copy: RecordsView,
  passed: (bytes: number) => void,
): Promise<string> {
  const files = filesOf(link);
  const { kind } = copy.records;
  await stopAll(link, kind);
  const [there] = await findRecords(files, [kind], signal);
  const before = new Map<string, Buffer>();
  for (const { path } of there!.files) before.set(path, await bytesAt(files, path, signal));
  const raw = copy.parts.filter((part) => part.kind === 'raw');
  const wanted = new Map<string, Buffer>();
  for (const { name } of raw) {
    const parts: Uint8Array[] = [];
    for await (const part of readImage(larder.shelf, larder.records.part(copy.id, name))) parts.push(part);
    wanted.set(`/${name}`, Buffer.concat(parts));
  }
  // Owners of what is there hold on this phone; a provider may have another uid than where the copy came from.
  const owners = new Map<string, FileOwner>([
    ...copy.records.files.map((file): [string, FileOwner] => [file.path, ownerOf(file)]),
    ...there!.files.map((file): [string, FileOwner] => [file.path, ownerOf(file)]),
  ]);
  try {
    await replace(
      files,
      there!.files.map(({ path }) => path),
      wanted,
      owners,
      watch,
      signal,
    );
    const digests = await files.digests(
      root,
      raw.map(({ name }) => name),
      signal,
    );
    const wrong = raw.filter(({ name, sha256 }) => digests.get(name) !== sha256).map(({ name }) => name);
    if (wrong.length > 0) throw new PhoneRefusal(`${someOf(wrong)} did not come out on the phone as kept.`);
  } catch (error) {
    if (error instanceof PhoneRefusal)
      await replace(files, [...wanted.keys()], before, owners, watch, signal);
    throw error;
  }
  for (const { bytes } of raw) passed(bytes);
  return `${raw.length} ${raw.length === 1 ? 'file' : 'files'} in place and proved`;
}

const ownerOf = ({ uid, gid, mode, label }: RecordFile | FileOwner): FileOwner => ({ uid, gid, mode, label });

/** Removes some files and puts others in place, with their owners and labels, and the folders that they need. */
async function replace(
  files: FileAccess,
  gone: readonly string[],
  wanted: ReadonlyMap<string, Buffer>,
  owners: ReadonlyMap<string, FileOwner>,
  watch: Attempt['watch'],
  signal?: AbortSignal,
): Promise<void> {
  await files.remove(gone.map((path) => `${root}${path}`));
  if (wanted.size === 0) return;
  const folders = new Map<string, FileOwner>();
  for (const path of wanted.keys()) {
    for (let folder = posix.dirname(path); folder !== '/'; folder = posix.dirname(folder))
      folders.set(folder, { ...owners.get(path)!, mode: 0o771 });
  }
  const have = await files.owners(
    root,
    [...folders.keys()].map((path) => path.slice(1)),
    signal,
  );
  const missing = [...folders]
    .filter(([path]) => !have.has(path.slice(1)))
    .sort(([a], [b]) => (a < b ? -1 : 1));
  const archive = pack();
  const header = (path: string, { uid, gid, mode, label }: FileOwner) => ({
    name: `.${path}`,
    uid,
    gid,
    mode,
    mtime: new Date(),
    ...(label && { pax: { 'RHT.security.selinux': label, 'SCHILY.xattr.security.selinux': `${label}\0` } }),
  });
  for (const [path, owner] of missing) archive.entry({ ...header(`${path}/`, owner), type: 'directory' });
  for (const [path, bytes] of wanted) archive.entry(header(path, owners.get(path)!), bytes);
  archive.finalize();
  await files.unpack(root, watch.onto(archive as AsyncIterable<Uint8Array>), signal);
  watch.rest();
}
