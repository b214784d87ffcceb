import { createHash } from 'node:crypto';
import type { PuttingSharedRequest, PuttingSharedStart } from '@keen-larder/contract/requests/shared.ts';
import type { RunView } from '@keen-larder/contract/runs.ts';
import {
  folderText,
  listText,
  puttingSharedSheet,
  someOf,
  type RunSheet,
} from '@keen-larder/core/runsheet/run-sheets.ts';
import type { RunStatements } from '../../database/runs.ts';
import { asOnePart, PartFailure } from '../../failures.ts';
import { tarEnd, tarHeader, tarPadding } from '../../formats/tar-header.ts';
import type { Inside } from '../../larder/inside/inside.ts';
import type { SharedPlacing } from '../../links/phone-link.ts';
import { pastSpeed } from '../engine/past-speed.ts';
import type { RunContext } from '../engine/run-context.ts';
import { onPhone, startRun } from '../engine/start-run.ts';
import { PhoneAtWork, type Attempt } from '../phone/phone-at-work.ts';
import { sharedFiles, sharedFolders, sharedImage, type SharedFile } from './kept-shared.ts';

/** What runs about shared storage work with besides. */
export interface SharedContext extends RunContext {
  readonly inside: Inside;
  readonly runRows: RunStatements;
}

/** As files and folders of shared storage are for everybody (AOSP, fs_config and sdcardfs); the phone sets its own. */
const modes = { file: 0o664, folder: 0o775 } as const;
/** Whoever unpacks it. */
const owned = { uid: 0, gid: 0 } as const;

/** What of shared storage that was kept goes onto a phone, and what stands in its way. @throws Problem */
export async function puttingShared(
  { bench, larder, inside, runRows }: SharedContext,
  serial: string,
  { setId, folders, onTop }: PuttingSharedRequest,
): Promise<RunSheet> {
  const { appWork, sharedPlacing } = bench.link(serial);
  const set = larder.detail(setId);
  return puttingSharedSheet({
    phone: bench.facts(serial),
    from: set,
    isDamaged: set.images.some(({ partition, damage }) => partition === sharedImage && damage !== undefined),
    kept: await sharedFolders(inside, setId),
    picked: folders,
    onTop,
    comingBytes: sharedPlacing ? await comingBytes(sharedPlacing, inside, setId, folders) : 0,
    freeBytes: await appWork?.freeBytes(),
    bytesPerSecond: pastSpeed(bench, runRows, serial, ['putting-shared', 'copying']),
  });
}

/** Of some folders, what a phone does not have in the same size. */
async function comingBytes(
  placing: SharedPlacing,
  inside: Inside,
  setId: string,
  folders: readonly string[],
): Promise<number> {
  const present = new Map<string, number>();
  for (const name of folders) for (const [path, bytes] of await placing.sizes(name)) present.set(path, bytes);
  let sum = 0;
  for await (const { top, within, bytes } of sharedFiles(inside, setId))
    if (folders.includes(top) && present.get(within) !== bytes) sum += bytes;
  return sum;
}

/**
 * Puts folders of shared storage onto a phone whose system runs: each comes beside what is there, is proved, and moved.
 * @throws Problem 422 with the checks that stand in the way, or where it must be armed and is not
 */
export function startPuttingShared(
  context: SharedContext,
  serial: string,
  start: PuttingSharedStart,
): Promise<RunView> {
  const { bench, inside, retryPolicy } = context;
  return startRun(context, {
    sheet: () => puttingShared(context, serial, start),
    confirmed: start.confirmed,
    seen: start.seen,
    arming: { serial, typed: start.armedWith },
    plan({ steps }) {
      const phone = onPhone(context, serial);
      const folders = steps.length === 1 ? folderText(start.folders[0]!) : `${steps.length} folders`;
      const title = `Put ${folders} of shared storage onto ${phone.nickname}`;
      return { kind: 'putting-shared', title, alsoReads: [start.setId], ...phone, canPause: true };
    },
    async work(run, { steps }) {
      const left = 'What is in place stays';
      const phone = new PhoneAtWork(bench, serial, 'system', run, retryPolicy, left);
      const files: SharedFile[] = [];
      for await (const file of sharedFiles(inside, start.setId))
        if (start.folders.includes(file.top)) files.push(file);
      const done: Placed = { came: 0, there: 0, left: [] };
      const failed: string[] = [];
      for (const [i, { text, folder }] of steps.entries()) {
        const own = files.filter(({ top }) => top === folder);
        const put = (passed: (bytes: number) => void) =>
          phone.retry({
            what: text,
            passed,
            attempt: (attempt) => putFolder(attempt, folder!, own, start.onTop === 'replace', done),
          });
        if (!(await run.part(i, (passed) => asOnePart(() => put(passed))))) failed.push(folderText(folder!));
      }
      return outcomeOf(done, failed);
    },
  });
}

/** How many files came, were there, and were left as they are. */
interface Placed {
  came: number;
  there: number;
  readonly left: string[];
}

/** @returns what became of it @throws PartFailure, and nothing that was there has changed */
async function putFolder(
  { link, signal, passed }: Attempt,
  name: string,
  files: readonly SharedFile[],
  replaces: boolean,
  done: Placed,
): Promise<string> {
  const { sharedPlacing: placing } = link;
  if (!placing) throw new PartFailure('The phone’s system hands out no shared storage.');
  const present = await placing.sizes(name, signal);
  const same = await sameOn(placing, files, present, signal);
  const others = files.filter(({ within }) => !same.has(within));
  const differ = others.filter(({ within }) => present.has(within));
  const going = replaces ? others : others.filter(({ within }) => !present.has(within));
  for (const { within, bytes } of files) if (same.has(within)) passed(bytes);
  try {
    await stageAll(placing, going, { signal, passed });
    await placing.place(
      going.map(({ within }) => within),
      signal,
    );
  } finally {
    await placing.clear().catch(() => undefined);
  }
  const now = await placing.sizes(name, signal);
  const missing = going.filter(({ within, bytes }) => now.get(within) !== bytes).map(({ within }) => within);
  if (missing.length > 0)
    throw new PartFailure(`The phone does not have ${someOf(missing)} where it was moved to.`);
  const left = replaces ? [] : differ.map(({ within }) => within);
  done.came += going.length;
  done.there += same.size;
  done.left.push(...left);
  return [
    `${countOf(going.length)} in place and proved`,
    ...(same.size > 0 ? [`${same.size} there already`] : []),
    ...(left.length > 0
      ? [`${someOf(left)} left as the phone has ${left.length === 1 ? 'it' : 'them'}`]
      : []),
  ].join('; ');
}

/** Of some files, those that the phone has with the same bytes. */
async function sameOn(
  placing: SharedPlacing,
  files: readonly SharedFile[],
  present: ReadonlyMap<string, number>,
  signal: AbortSignal,
): Promise<ReadonlySet<string>> {
  const maybe = files.filter(({ within, bytes }) => present.get(within) === bytes);
  const bytes = maybe.reduce((sum, file) => sum + file.bytes, 0);
  const paths = maybe.map(({ within }) => within);
  const told = await placing.digests(placing.folder, paths, bytes, signal);
  const same = new Set<string>();
  for (const file of maybe) {
    const hash = createHash('sha256');
    for await (const part of file.content()) hash.update(part);
    if (told.get(file.within) === hash.digest('hex')) same.add(file.within);
  }
  return same;
}

/** Brings files beside what is there, and compares them as the phone digests them. @throws PartFailure */
async function stageAll(
  placing: SharedPlacing,
  files: readonly SharedFile[],
  { signal, passed }: Pick<Attempt, 'signal' | 'passed'>,
): Promise<void> {
  if (files.length === 0) return;
  const digests = new Map<string, string>();
  const complaint = await placing.stage(archiveOf(files, digests, passed), signal);
  const bytes = files.reduce((sum, file) => sum + file.bytes, 0);
  const told = await placing.digests(placing.staging, [...digests.keys()], bytes, signal);
  const differ = files
    .filter(({ within }) => told.get(within) !== digests.get(within))
    .map(({ within }) => within);
  if (differ.length > 0)
    throw new PartFailure(
      `${someOf(differ)} did not come out on the phone as kept${complaint ? ` (${complaint})` : ''}. What is there is as it was.`,
    );
}

/** A tar of some files, as the phone's own unpacks it. @param digests of their bytes, once they have gone */
async function* archiveOf(
  files: readonly SharedFile[],
  digests: Map<string, string>,
  passed: (bytes: number) => void,
): AsyncGenerator<Uint8Array> {
  const folders = new Set<string>();
  for (const { within, bytes, content, ...file } of files) {
    const modifiedAt = Math.floor(file.modifiedAt / 1000);
    const steps = within.split('/').slice(0, -1);
    for (const depth of steps.keys()) {
      const folder = steps.slice(0, depth + 1).join('/');
      if (folders.has(folder)) continue;
      folders.add(folder);
      yield tarHeader({
        ...owned,
        name: `./${folder}/`,
        type: 'directory',
        mode: modes.folder,
        modifiedAt,
        bytes: 0,
      });
    }
    yield tarHeader({ ...owned, name: `./${within}`, type: 'file', mode: modes.file, modifiedAt, bytes });
    const hash = createHash('sha256');
    for await (const part of content()) {
      hash.update(part);
      yield part;
      passed(part.length);
    }
    digests.set(within, hash.digest('hex'));
    yield tarPadding(bytes);
  }
  yield tarEnd();
}

const countOf = (files: number) => `${files} ${files === 1 ? 'file' : 'files'}`;

function outcomeOf({ came, there, left }: Placed, failed: readonly string[]): string {
  return [
    ...(failed.length > 0 ? [`Not put in place: ${listText(failed)}; each step says why.`] : []),
    `${countOf(came)} in place and proved${there > 0 ? `, ${there} were there already` : ''}.`,
    ...(left.length > 0
      ? [`Left as the phone has ${left.length === 1 ? 'it' : 'them'}: ${someOf(left)}.`]
      : []),
  ].join(' ');
}
