import { isInBackup } from '@keen-larder/core/formats/android-backup/eligibility.ts';
import { nameInBackup } from '@keen-larder/core/formats/android-backup/layout.ts';
import { someOf } from '@keen-larder/core/runsheet/run-sheets.ts';
import { backupStream } from '../../formats/android-backup/backup-stream.ts';
import { backupTarOf, type AppForBackup } from '../../formats/android-backup/backup-writing.ts';
import { digestedFiles, type ArchivedEntry } from '../../formats/tar.ts';
import { PhoneRefusal } from '../../failures.ts';
import { counted } from '../../async/counted.ts';
import { appsForBackup } from '../../larder/carry/platform-backup.ts';
import { filesAmong } from '../imaging/archive-taking.ts';
import type { Run } from '../engine/live-run.ts';
import { workOf } from '../phone/phone-access.ts';
import type { PhoneAtWork } from '../phone/phone-at-work.ts';
import type { PutApp } from './app-putting.ts';
import { takeBackup, type GivenBackup } from './backing-up.ts';

/** A backup that is taken passes it over, whatever was put there (Android, public documentation, `getNoBackupFilesDir`). */
const passedOver = /^no_backup\//;

/**
 * Hands data of apps over as a backup of the phone's own, has the phone back them up again, and compares both: a phone tells nothing of
 * what it took.
 * @throws PhoneRefusal naming what did not come back as it is kept
 */
export async function handOver(
  phone: PhoneAtWork,
  run: Run,
  puts: readonly PutApp[],
  passed: (bytes: number) => void,
  password?: string,
): Promise<string> {
  const [{ copies, shelf }] = puts as [PutApp];
  const picked = puts.map(({ copy, parts }) => ({ copy, parts: parts.filter(isInBackup) }));
  const leftOut = new Set<string>();
  const apps = (await appsForBackup({ copies, shelf }, picked)).map((each) => ({
    ...each,
    leftOut: (path: string) => leftOut.add(`${each.app.package}: ${path}`),
  }));
  await phone.retry({
    what: 'Hand the data over',
    passed,
    attempt: ({ link, signal, passed: of }) =>
      run.waiting(
        'Waiting for somebody to unlock the phone and agree on its screen that data is put back. What is handed over has no password; where the phone asks for its own, type that.',
        () => workOf(link).takeBackup(backupStream(counted(backupTarOf(apps), of)), signal),
      ),
  });
  const given = await takeBackup(
    phone,
    run,
    shelf,
    apps.map(({ app }) => app.package),
    password,
  );
  try {
    let files = 0;
    const wrong: string[] = [];
    for (const app of apps) {
      const { same, differ } = await compared(app, given);
      files += same;
      wrong.push(...differ);
    }
    if (leftOut.size > 0)
      run.log(`No backup has a place for ${someOf([...leftOut])}: links, for the most part.`, 'warning');
    if (wrong.length > 0)
      throw new PhoneRefusal(
        `${someOf(wrong)} did not come back as kept: the phone took none of it, or something else. Somebody may have refused on its screen; an app may be another maker’s, or newer than the copy.`,
      );
    return `${files} ${files === 1 ? 'file' : 'files'} in place, as the phone gives them again`;
  } finally {
    await given.close();
  }
}

/** What went of an app beside what the phone gives of it now; what is more there, it wrote itself. */
async function compared(
  { app, folders }: AppForBackup,
  given: GivenBackup,
): Promise<{ readonly same: number; readonly differ: readonly string[] }> {
  const differ: string[] = [];
  let same = 0;
  for (const folder of folders) {
    const now = given.apps.get(app.package)?.folders.find(({ kind }) => kind === folder.kind);
    const there = now ? await digestsOf(now.read()) : new Map<string, string>();
    for (const [path, digest] of await digestsOf(folder.read())) {
      if (passedOver.test(path) || !nameInBackup(app.package, folder.kind, path)) continue;
      if (there.get(path) === digest) same++;
      else differ.push(`${app.package}: ${path}`);
    }
  }
  return { same, differ };
}

async function digestsOf(archive: AsyncIterable<Uint8Array>): Promise<Map<string, string>> {
  const entries = new Map<string, ArchivedEntry>();
  for await (const part of digestedFiles(archive, entries)) void part;
  return new Map([...filesAmong(entries)].map(([path, digest]) => [path.replace(/^(?:\.\/)+/, ''), digest]));
}
