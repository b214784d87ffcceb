import { openFileSystem } from '@keen-larder/core/formats/file-system/open.ts';
import type { ShellHost } from '../shell/host.ts';
import { turnsOf } from '../shell/turns.ts';
import { installedApps } from './installed.ts';
import { attributeOf, settingsFiles } from './settings.ts';

/** What the package manager notes of an app that was removed with its data kept: there is no program of it. */
export interface Entry {
  readonly name: string;
  readonly userId: number;
  readonly codePath: string;
  /** By the system, to come back (Android 15). */
  readonly isArchived: boolean;
}

export async function entriesOf(host: ShellHost): Promise<Entry[]> {
  const there = new Set((await installedApps(host)).map(({ apk }) => apk.package));
  const data = host.mounts.find(({ at }) => at === '/data');
  if (!data) return [];
  const xml = await turnsOf(host).reading(async () =>
    (await openFileSystem(data.source)).text(settingsFiles.packages),
  );
  return [...(xml ?? '').matchAll(/<package [^>]*>/g)].flatMap(([tag]) => {
    const name = attributeOf(tag, 'name') ?? '';
    if (there.has(name)) return [];
    return {
      name,
      userId: Number(attributeOf(tag, 'userId')),
      codePath: attributeOf(tag, 'codePath') ?? '',
      isArchived: attributeOf(tag, 'archived') === 'true',
    };
  });
}

/** What `dumpsys package` prints of one (AOSP frameworks/base, Settings.dumpPackageLPr, its main lines; from memory). */
export const entryText = (
  { name, userId, codePath, isArchived }: Entry,
  users: readonly { readonly id: number }[],
): string =>
  [
    `  Package [${name}] (${(userId * 7919).toString(16)}):`,
    `    userId=${userId}`,
    '    pkg=null',
    `    codePath=${codePath}`,
    '    versionCode=12 minSdk=0 targetSdk=0',
    '    versionName=null',
    '    flags=[ HAS_CODE ALLOW_CLEAR_USER_DATA ]',
    ...users.flatMap(({ id }) => [
      `    User ${id}: ceDataInode=0 installed=false hidden=false suspended=false stopped=true notLaunched=true enabled=0 instant=false virtual=false`,
      ...(isArchived
        ? [`      archiveState=ArchiveState{installerTitle=Shop, archiveTime=1770000000000}`]
        : []),
    ]),
    '',
  ].join('\n');
