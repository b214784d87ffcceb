import { stopwatch } from '../../async/stopwatch.ts';
import type { ImportingAppsRequest, ImportingAppsStart } from '@keen-larder/contract/requests/imports.ts';
import type { RunView } from '@keen-larder/contract/runs.ts';
import type { CopiedApp, DataFile } from '@keen-larder/core/apps/copies.ts';
import { planCopies, type PlannedCopy } from '@keen-larder/core/apps/import-plan.ts';
import { durationText, sizeText } from '@keen-larder/core/bytes/units.ts';
import {
  importingAppsSheet,
  listText,
  type RunSheet,
  type WantedCopy,
} from '@keen-larder/core/runsheet/run-sheets.ts';
import { dataFiles, stampOf } from '../../formats/data-stamp.ts';
import { digestedFiles, type ArchivedEntry } from '../../formats/tar.ts';
import type { Batch, OpenedPart } from '../../imports/batch.ts';
import type { NewPart } from '../../larder/copies-of-a-kind.ts';
import { SetWriter } from '../../shelf/set-writer.ts';
import { startRun } from '../engine/start-run.ts';
import type { RunContext } from '../engine/run-context.ts';
import {
  broken,
  differsFromList,
  hasChecksum,
  phoneOf,
  staysWhereItIs,
  usualBytesPerSecond,
} from './import-files.ts';
import { PartFailure } from '../../failures.ts';
import type { Run } from '../engine/live-run.ts';

interface Chosen {
  readonly copies: readonly WantedCopy[];
  readonly unknown: readonly { readonly path: string; readonly package: string | undefined }[];
}

/** What was picked, each with the app that it is of. */
async function choose(
  context: RunContext,
  batch: Batch,
  { serial, choices }: ImportingAppsRequest,
): Promise<Chosen> {
  const planned = planCopies(batch.parts, batch.descriptions);
  const copies: WantedCopy[] = [];
  const unknown: { path: string; package: string | undefined }[] = [];
  for (const { path, package: name } of choices) {
    const copy = planned.find((each) => each.path === path);
    if (!copy) continue;
    const app = await (copy.isTold
      ? named(context, serial, copy.app!)
      : (copy.app ?? (name ? knownApp(context, serial, name, ownerOf(batch, copy)) : undefined)));
    if (app) copies.push({ ...copy, app });
    else unknown.push({ path, package: name });
  }
  return { copies, unknown };
}

/** An app by the name that people know, where that is known here: a backup does not say it. */
async function named(context: RunContext, serial: string, app: CopiedApp): Promise<CopiedApp> {
  const known = await knownApp(context, serial, app.package, app.uid);
  return known ? { ...app, label: known.label } : app;
}

/** Who owns what is in an archive. */
function ownerOf({ parts }: Batch, copy: PlannedCopy): number {
  const content = parts.find(({ path }) => path === copy.path)?.content;
  return content?.kind === 'folder' ? (content.uid ?? 0) : 0;
}

/** What the phone itself, or else the newest copy, tells of an app whose data came alone. */
async function knownApp(
  { bench, larder }: RunContext,
  serial: string,
  name: string,
  uid: number,
): Promise<CopiedApp | undefined> {
  const link = serial ? bench.linkIn(serial, 'system') : undefined;
  const here = (await link?.apps?.recent())?.find((each) => each.package === name);
  const known = here ?? larder.copies.list().find(({ app }) => app.package === name)?.app;
  if (!known) return undefined;
  const { label, versionCode, versionName, minSdk, targetSdk, abis, certificates, sharedUserId } = known;
  return {
    package: name,
    label,
    versionCode,
    versionName,
    uid,
    minSdk,
    targetSdk,
    abis,
    certificates,
    isBuiltIn: known.isBuiltIn,
    isEnabled: true,
    sharedUserId,
    permissions: [],
    hasHardwareKeys: false,
  };
}

export async function importAppsSheet(
  context: RunContext,
  batch: Batch,
  request: ImportingAppsRequest,
): Promise<RunSheet> {
  return importingAppsSheet({
    ...(await choose(context, batch, request)),
    serial: request.serial,
    isListed: ({ parts }) => parts.every(({ path }) => hasChecksum(batch, path)),
    shelf: await context.larder.shelf.space(),
    bytesPerSecond: usualBytesPerSecond,
  });
}

/**
 * Takes copies of apps in from files; one that is not what its checksums say is left out, and the rest goes on.
 * @param putAside what becomes of the files afterwards; resolves to words about it
 * @throws Problem 422 with the checks that stand in the way
 */
export async function startImportingApps(
  context: RunContext,
  batch: Batch,
  start: ImportingAppsStart,
  putAside: () => Promise<string>,
): Promise<RunView> {
  const { larder } = context;
  return startRun(context, {
    sheet: () => importAppsSheet(context, batch, start),
    confirmed: start.confirmed,
    seen: start.seen,
    writesShelf: true,
    async plan() {
      phoneOf(larder, start);
      const { copies } = await choose(context, batch, start);
      const what =
        copies.length === 1 ? `a copy of ${copies[0]!.app.label}` : `${copies.length} copies of apps`;
      return { kind: 'importing', title: `Import ${what}` };
    },
    async work(run) {
      const { copies } = await choose(context, batch, start);
      const phone = phoneOf(larder, start);
      const release = batch.hold();
      const elapsedMs = stopwatch();
      const writer = new SetWriter(larder.shelf);
      const failed: string[] = [];
      let bytes = 0;
      try {
        for (const [index, copy] of copies.entries()) {
          const isDone = await run.part(index, async (passed) => {
            const before = writer.addedBytes;
            const { parts, files } = await takeIn({ batch, writer, run }, copy, passed);
            const touched = await batch.touched();
            // Copies before it are kept, so that only this one is spoken of.
            if (touched.length > 0)
              throw new PartFailure(
                `${listText(touched)} changed while it was taken in. Wait until everything has been copied, then start again.`,
              );
            await writer.seal();
            await larder.copies.add({
              phone,
              createdAt: copy.copiedAt ?? context.now(),
              addedBytes: writer.addedBytes - before,
              origin: 'imported',
              by: run.operator,
              facts: { ...copy.app, ...(files.length > 0 && { stamp: stampOf(files) }) },
              parts,
            });
            larder.copies.changed();
            const own = parts.reduce((sum, { stored }) => sum + stored.bytes, 0);
            bytes += own;
            return sizeText(own);
          });
          if (!isDone) failed.push(copy.app.label);
        }
      } finally {
        await writer.discard();
        await release();
      }
      const kept = copies.length - failed.length;
      const said = `${kept === 1 ? 'One copy' : `${kept} copies`}, ${sizeText(bytes)} in ${durationText(elapsedMs())}; ${sizeText(writer.addedBytes)} new on the shelf.`;
      if (failed.length > 0)
        return `${listText(failed)} ${failed.length === 1 ? 'was' : 'were'} not kept. ${said} The files stay where they are.`;
      return `${said} ${batch.files.length > 0 ? 'The files stay where they are: there are images among them.' : await putAside().catch(staysWhereItIs)}`;
    },
  });
}

interface Taking {
  readonly batch: Batch;
  readonly writer: SetWriter;
  readonly run: Run;
}

/** Takes in all parts of a copy. @throws PartFailure when one is not what its checksums say, or is no archive */
async function takeIn(
  { batch, writer, run }: Taking,
  { parts: planned }: WantedCopy,
  passed: (bytes: number) => void,
): Promise<{ readonly parts: readonly NewPart[]; readonly files: readonly DataFile[] }> {
  const parts: NewPart[] = [];
  const files: DataFile[] = [];
  for (const { path, name, kind, sha256 } of planned) {
    const file = batch.parts.find((each) => each.path === path)!;
    await compareWithList(batch, file, run);
    const entries = new Map<string, ArchivedEntry>();
    const bytes = broken(file.image(), run.signal);
    const image = writer.image(0);
    try {
      await image.take(kind === 'program' ? bytes : digestedFiles(bytes, entries), passed);
    } catch (error) {
      if (run.signal.aborted || kind === 'program') throw error;
      throw new PartFailure(`${path} is not a whole archive: ${(error as Error).message}. Copy it again.`);
    }
    const stored = await image.finish();
    const found = stored.sha256.toString('hex');
    if (sha256 !== undefined && sha256 !== found)
      throw new PartFailure(
        `${path} is not what its description says: SHA-256 ${found} instead of ${sha256}. Copy it again.`,
      );
    parts.push({ name, kind, stored });
    if (kind === 'data' || kind === 'device-data') files.push(...dataFiles(kind, entries));
  }
  return { parts, files };
}

/** Holds a file, and the archive that it came in, against the lists beside them. @throws PartFailure */
async function compareWithList(batch: Batch, file: OpenedPart, run: Run): Promise<void> {
  for (const each of file.outer ? [file.outer, file] : [file]) {
    const differs = await differsFromList(batch, each, run);
    if (differs) throw new PartFailure(`${differs} Copy it again.`);
  }
}
