import type { CopiedApp } from '@keen-larder/core/apps/copies.ts';
import { androidIdsIn, withAndroidId } from '@keen-larder/core/apps/home/reading.ts';
import { listText } from '@keen-larder/core/runsheet/run-sheets.ts';
import { PartFailure } from '../../../failures.ts';
import { tarEnd, tarHeader, tarPadding } from '../../../formats/tar-header.ts';
import { filesOf, foldersOf, workOf } from '../../phone/phone-access.ts';
import type { PhoneLink } from '../../../links/phone-link.ts';
import { idsFolderOf, idsName } from './at-home.ts';

type WithId = Pick<CopiedApp, 'package' | 'label' | 'home'>;

/** Those whose copies have the id that Android gave them. */
export const withIds = <T extends WithId>(apps: readonly T[]): T[] =>
  apps.filter(({ home }) => home?.androidId);

/**
 * Writes the ids that Android gave some apps into its file. The system has read it as it started, and takes no notice until it starts
 * again. @throws PartFailure where the phone has no such file
 */
export async function writeAndroidIds(link: PhoneLink, apps: readonly WithId[]): Promise<string> {
  const files = filesOf(link);
  const idsFolder = idsFolderOf(link.user);
  const path = `${idsFolder}/${idsName}`;
  const own = foldersOf(link);
  await own.rollBack(idsFolder);
  let text = await files.text(path);
  if (text === undefined) throw new PartFailure('This phone has no file of the ids of its apps.');
  const set: string[] = [];
  for (const { package: name, label, home } of withIds(apps)) {
    const uid = (await workOf(link).describe(name))?.uid;
    if (uid === undefined || androidIdsIn(text).get(name)?.id === home!.androidId) continue;
    const changed = withAndroidId(text, { package: name, uid, id: home!.androidId! });
    if (changed === undefined)
      throw new PartFailure('The file of the ids of its apps is not as Android writes it.');
    text = changed;
    set.push(label);
  }
  if (set.length === 0) return 'as kept already';
  const there = (await files.owners(idsFolder, [idsName])).get(idsName);
  const bytes = Buffer.from(text);
  const head = tarHeader({
    ...{ name: idsName, type: 'file', target: '', uid: there?.uid ?? 1000, gid: there?.gid ?? 1000 },
    ...{ mode: there?.mode ?? 0o600, bytes: bytes.length, modifiedAt: Math.floor(Date.now() / 1000) },
  });
  const next = await own.stage(
    idsFolder,
    (async function* () {
      yield await Promise.resolve(Buffer.concat([head, bytes, tarPadding(bytes.length), tarEnd()]));
    })(),
  );
  if (there) await files.settle(next, new Map([[idsName, there]]));
  await own.swap(idsFolder, { going: [idsName], coming: [idsName] });
  await own.settle(idsFolder);
  return `${listText(set)} as kept, once Android has started again`;
}

/** Whether the system has kept what was written. @throws PartFailure naming those whose ids it changed */
export async function proveAndroidIds(link: PhoneLink, apps: readonly WithId[]): Promise<string> {
  const ids = androidIdsIn((await filesOf(link).text(`${idsFolderOf(link.user)}/${idsName}`)) ?? '');
  const all = withIds(apps);
  const lost = all.filter(({ package: name, home }) => ids.get(name)?.id !== home!.androidId);
  if (lost.length > 0)
    throw new PartFailure(
      `${listText(lost.map(({ label }) => label))}: Android wrote another id meanwhile. Try once more.`,
    );
  return `${all.length === 1 ? 'the id is' : `${all.length} ids are`} as kept`;
}
