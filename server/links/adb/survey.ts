import { createHash } from 'node:crypto';
import type { Finding, PhoneTools, Survey, Tried } from '@keen-larder/core/phone/survey.ts';
import { providedKinds } from '@keen-larder/core/records/provided.ts';
import { FlashFailure, PhoneRefusal } from '../../failures.ts';
import { readPackages } from '../../untrusted/untrusted.ts';
import { commands } from './commands.ts';
import type { AdbDigests } from './digests.ts';
import type { AdbFiles } from './files/files.ts';
import type { AdbPartitions } from './partitions/partitions.ts';
import type { AdbShell, CommandResult } from './shell.ts';

/** What a survey asks. */
export interface Surveyed {
  readonly shell: AdbShell;
  readonly digests: AdbDigests;
  readonly mode: 'system' | 'recovery';
  /** Where there is root. */
  readonly partitions?: AdbPartitions | undefined;
  readonly files?: AdbFiles | undefined;
}

const pageBytes = 4096;
/** Pages that are read and digested. */
const pages = 8;
const folderForTar = '/system';
/** Of which every phone has one; recoveries have theirs under /sbin before Android 10. */
const knownFiles = ['/system/bin/sh', '/sbin/sh', '/system/build.prop'];

/** Tries what a phone's tools can do. Nothing is written, mounted or asked for on its screen but root. */
export async function surveyAdb(on: Surveyed, signal?: AbortSignal): Promise<Omit<Survey, 'at' | 'build'>> {
  const findings: Finding[] = [];
  const note = (what: string, result: Tried, found: string) => void findings.push({ what, result, found });
  const { shell, mode } = on;
  const ask = (script: string) => shell.run(shell.rooted(script), { signal });

  note(
    'Shell of the adb daemon',
    'works',
    shell.framed ? 'framed (shell v2)' : 'plain exec: complaints and exit codes come behind the output',
  );
  note('Root', shell.root ? 'works' : 'missing', shell.root ? (shell.wayToRoot ?? 'the daemon is root') : '');
  const listed = await surveyPartitions(on, note);
  const reading = listed.smallest === undefined ? undefined : await surveyReading(on, listed.smallest, note);
  const proof = await on.digests.way();
  note(
    'Digests',
    proof === 'second reading' ? 'missing' : 'works',
    proof === 'second reading' ? 'neither sha256sum nor md5sum' : `${proof}sum`,
  );

  if (on.partitions) {
    const packer = await on.partitions.cable.packer();
    const found = packer
      ? `${packer}, both ways`
      : 'neither zstd nor gzip: bytes cross the cable as they are';
    note('Packing on the cable', packer ? 'works' : 'missing', found);
  }

  const stat = await ask(commands.owners('/', ['system']));
  const [, , , , label] = /^(\d+) (\d+) ([0-7]+) (\S+) ([^|\n]*)\|system$/m.exec(stat.stdout) ?? [];
  const tellsOwners = label !== undefined;
  note('Owners and modes by stat', tellsOwners ? 'works' : 'missing', tellsOwners ? '' : saidBy(stat));
  const found = await ask(commands.describeFiles(knownFiles));
  const finds = knownFiles.some((path) => found.stdout.includes(path));
  note('find', finds ? 'works' : 'not tried', finds ? '' : 'none of the files asked for is there');
  const { tar, labels } = await surveyTar(on, note);
  const made = await surveyMakers(ask, note);
  const apps = mode === 'system' ? await surveyApps(shell, note, signal) : undefined;
  const shared = await ask(commands.names('/sdcard/'));
  const sharedStorage = mode === 'system' && shared.exitCode === 0;
  if (mode === 'system') note('Shared storage', sharedStorage ? 'works' : 'refused', saidBy(shared, true));
  const answering: string[] = [];
  if (mode === 'system' && !shell.root)
    for (const [kind, { question }] of Object.entries(providedKinds)) {
      const one = { ...question, columns: question.columns.slice(0, 1) };
      const answer = await shell.run(commands.queryProvider(one), { signal, mostBytes: 64 << 20 });
      const answers = /^(?:Row: |No result found)/m.test(answer.stdout);
      if (answers) answering.push(kind);
      note(`Content provider of ${kind}`, answers ? 'works' : 'refused', answers ? '' : saidBy(answer));
    }
  const tools: PhoneTools = {
    isFramed: shell.framed,
    root: shell.root ? (shell.wayToRoot ?? '') : undefined,
    partitions: listed.count,
    reads: reading?.reads ?? false,
    proof,
    digestsRanges: reading?.digestsRanges ?? false,
    tar,
    labels,
    tellsOwners,
    ...made,
    apps,
    sharedStorage,
    providers: answering,
  };
  return { mode, findings, tools };
}

type Note = (what: string, result: Tried, found: string) => void;

interface Smallest {
  readonly name: string;
  readonly bytes: number;
}

async function surveyPartitions(
  { partitions }: Surveyed,
  note: Note,
): Promise<{ readonly count: number; readonly smallest: Smallest | undefined }> {
  if (!partitions) {
    note('Partitions by name', 'not tried', 'only root may look');
    return { count: 0, smallest: undefined };
  }
  try {
    const { folder, sizes, disks } = await partitions.survey();
    const count = sizes.size;
    note('Partitions by name', 'works', `${count} in ${folder}`);
    for (const { disk, tables } of disks)
      note(`Partition table of ${disk}`, tables ? 'works' : 'missing', tables ? 'both copies' : '');
    const [smallest] = [...sizes]
      .filter(([, bytes]) => bytes >= pages * pageBytes)
      .sort(([, a], [, b]) => a - b)
      .map(([name, bytes]) => ({ name, bytes }));
    return { count, smallest };
  } catch (error) {
    if (!(error instanceof PhoneRefusal)) throw error;
    note('Partitions by name', 'missing', error.message);
    return { count: 0, smallest: undefined };
  }
}

/** Every second page of a partition, in one go, one by one, and digested. */
async function surveyReading(
  { partitions }: Surveyed,
  { name }: Smallest,
  note: Note,
): Promise<{ readonly reads: boolean; readonly digestsRanges: boolean }> {
  const apart = Array.from({ length: pages / 2 }, (_, i) => ({
    offset: (2 * i + 1) * pageBytes,
    bytes: pageBytes,
  }));
  const bytesOf = async (ranges: readonly { readonly offset: number; readonly bytes: number }[]) => {
    const parts: Buffer[] = [];
    for await (const part of partitions!.read(name, ranges)) parts.push(Buffer.from(part));
    return Buffer.concat(parts);
  };
  try {
    const whole = await bytesOf([{ offset: 0, bytes: pages * pageBytes }]);
    const cut = Buffer.concat(apart.map(({ offset, bytes }) => whole.subarray(offset, offset + bytes)));
    const reads = cut.equals(await bytesOf(apart));
    note(
      `Reading ${name} by dd`,
      reads ? 'works' : 'wrong',
      reads ? '' : 'parts of it are others than the whole',
    );
    const told = await partitions!.digest(name, apart);
    const digestsRanges = told.hex === createHash(told.by).update(cut).digest('hex');
    note('Digest of ranges', digestsRanges ? 'works' : 'wrong', '');
    return { reads, digestsRanges };
  } catch (error) {
    if (!(error instanceof PhoneRefusal || error instanceof FlashFailure)) throw error;
    note(`Reading ${name} by dd`, 'refused', error.message);
    return { reads: false, digestsRanges: false };
  }
}

async function surveyTar(
  { files, shell }: Surveyed,
  note: Note,
): Promise<Pick<PhoneTools, 'tar' | 'labels'>> {
  const help = await shell.run(commands.tarHelp());
  const tar = help.exitCode !== 127 && `${help.stdout}${help.stderr}`.trim() !== '';
  note('tar', tar ? 'works' : 'missing', '');
  if (!tar || !files) return { tar, labels: 'unknown' };
  const labels = await files.surveyLabels(folderForTar);
  note(
    'SELinux labels of files',
    ({ packed: 'works', asked: 'works', none: 'missing', unknown: 'not tried' } as const)[labels],
    {
      packed: 'tar packs them',
      asked: 'stat tells them; tar does not pack them',
      none: 'neither tar nor stat tells them',
      unknown: 'user data is not mounted',
    }[labels],
  );
  return { tar, labels };
}

async function surveyMakers(
  ask: (script: string) => Promise<CommandResult>,
  note: Note,
): Promise<Pick<PhoneTools, 'makesExt4' | 'makesF2fs'>> {
  const { stdout } = await ask(commands.whereTools(['mke2fs', 'make_f2fs', 'chcon']));
  const has = (name: string) => new RegExp(`(?:^|/)${name}$`, 'm').test(stdout);
  for (const name of ['mke2fs', 'make_f2fs', 'chcon'])
    note(name, has(name) ? 'not tried' : 'missing', has(name) ? 'is there; it writes' : '');
  return { makesExt4: has('mke2fs'), makesF2fs: has('make_f2fs') };
}

async function surveyApps(shell: AdbShell, note: Note, signal?: AbortSignal): Promise<number | undefined> {
  const dump = await shell.run(commands.allPackages(), { signal, mostBytes: 64 << 20 });
  const apps = await readPackages(dump.stdout);
  note(
    'Package manager',
    apps.length > 0 ? 'works' : 'missing',
    apps.length > 0 ? `${apps.length} apps` : saidBy(dump),
  );
  return apps.length > 0 ? apps.length : undefined;
}

/** A command's last words, in one line. @param isQuiet when it worked */
function saidBy({ stdout, stderr, exitCode }: CommandResult, isQuiet = false): string {
  if (exitCode === 0 && (isQuiet || stderr.trim() === '')) return '';
  const line = (stderr || stdout).trim().split('\n').at(-1) ?? '';
  return line.slice(0, 120) || `exit code ${exitCode}`;
}
