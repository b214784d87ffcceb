import { onePiece } from '@keen-larder/core/bytes/one-piece.ts';
import { appIdOf, categoriesOf, uidOfUser } from '@keen-larder/core/apps/ids.ts';
import type { NewFile } from '@keen-larder/core/formats/file-system/building.ts';
import { openFileSystem } from '@keen-larder/core/formats/file-system/open.ts';
import { notebookDatabase } from '../firmware/database.ts';
import { editTree, type Addition } from '../flash/file-tree.ts';
import type { Device } from '../flash/flash.ts';
import { attributeOf, settingsFilesOf, withGrants, withRestriction } from '../packages/settings.ts';
import { userFiles, type SimulatedUser } from '../packages/users.ts';

/** The workshop's own profile on a phone that somebody uses at work, and a second person who has not been there since its start. */
export const otherUsers = {
  work: { id: 10, name: 'Harbour office', flags: 0x1030, bans: ['no_install_apps', 'no_control_apps'] },
  second: { id: 11, name: 'Boat club', flags: 0x410, bans: [] },
} as const satisfies Record<string, SimulatedUser>;
const users: readonly SimulatedUser[] = [
  { id: 0, name: 'Owner', flags: 0xc13, bans: [] },
  otherUsers.work,
  otherUsers.second,
];

/** So many of the owner's apps each of them has as well, with data of their own. */
const appsOf: Readonly<Record<number, number>> = { 10: 3, 11: 2 };
const kibibytes = 120;

/**
 * Makes a work profile and a second user on a phone, each with some of the owner's apps and data of their own. Where they are already,
 * nothing is changed.
 * @param userData its file system, seen through its cipher
 */
export async function putOtherUsers(userData: Device): Promise<void> {
  const fs = await openFileSystem(userData);
  const [list, ...files] = userFiles(users);
  if (await fs.find(list!.path)) return;
  const packages = (await fs.text(settingsFilesOf(0).packages)) ?? '';
  const apps = [...packages.matchAll(/<package [^>]*>/g)].flatMap(([tag]) => {
    const [name, id] = [attributeOf(tag, 'name'), attributeOf(tag, 'userId')];
    return name && id && attributeOf(tag, 'codePath')?.startsWith('/data/app/')
      ? [{ name, appId: appIdOf(Number(id)) }]
      : [];
  });
  const modifiedAt = Date.UTC(2026, 1, 9, 9) / 1000;
  const adds: Addition[] = [];
  const made = new Set<string>();
  const systemOwned = { uid: 1000, gid: 1000 } as const;
  const folder = async (
    path: string,
    permissions: number,
    who: { uid: number; gid: number } = systemOwned,
    attributes: NewFile['attributes'] = [],
  ) => {
    if (made.has(path) || (await fs.find(path))) return;
    made.add(path);
    adds.push({ path, type: 'directory', permissions, ...who, attributes, modifiedAt });
  };
  const file = (
    path: string,
    bytes: Buffer,
    permissions: number,
    who: { uid: number; gid: number } = systemOwned,
    attributes: NewFile['attributes'] = [],
  ) =>
    adds.push({
      ...{ path, type: 'file', permissions, ...who, attributes, modifiedAt, bytes: bytes.length },
      content: onePiece(bytes),
    });
  for (const path of ['/user', '/user_de', '/media', '/system', '/system/users']) await folder(path, 0o771);
  for (const { path, text } of [list!, ...files]) file(path, Buffer.from(text), 0o600);
  for (const { id } of users.slice(1)) {
    const folders = { data: `/user/${id}`, device: `/user_de/${id}`, settings: `/system/users/${id}` };
    for (const path of Object.values(folders)) await folder(path, 0o771);
    await folder(`/media/${id}`, 0o770, { uid: 1023, gid: 1023 });
    const own = apps.slice(0, appsOf[id]);
    let [grants, restrictions] = ['', ''];
    for (const { name } of apps)
      if (!own.some((each) => each.name === name))
        restrictions = withRestriction(restrictions, name, { enabled: 0, installed: false });
    for (const [i, { name, appId }] of own.entries()) {
      const uid = uidOfUser(id, appId);
      const who = { uid, gid: uid };
      const label = [
        {
          name: 'security.selinux',
          value: new Uint8Array(
            Buffer.from(`u:object_r:app_data_file:s0:${categoriesOf({ user: id, appId })}\0`, 'latin1'),
          ),
        },
      ];
      await folder(`${folders.data}/${name}`, 0o700, who, label);
      await folder(`${folders.device}/${name}`, 0o700, who, label);
      await folder(`${folders.data}/${name}/databases`, 0o771, who, label);
      const rows = notebookDatabase(id * 1000 + i, kibibytes * 1024);
      file(`${folders.data}/${name}/databases/own.db`, rows, 0o660, who, label);
      grants = withGrants(grants, name, new Map([['android.permission.CAMERA', i % 2 === 0]]));
    }
    const settings = settingsFilesOf(id);
    file(settings.grants, Buffer.from(grants), 0o600);
    file(settings.restrictions, Buffer.from(restrictions), 0o660);
  }
  await editTree(userData, { adds });
}
