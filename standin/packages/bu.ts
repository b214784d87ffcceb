import { pipeline } from 'node:stream/promises';
import { createDeflate } from 'node:zlib';
import { pack, type NewHeader, type Pack } from 'tar-stream';
import type { Apk } from '@keen-larder/core/formats/apk/apk.ts';
import { openFileSystem } from '@keen-larder/core/formats/file-system/open.ts';
import type { FileNode, FileSystem } from '@keen-larder/core/formats/file-system/reading.ts';
import { complain, type Command, type Process } from '../shell/host.ts';
import { turnsOf } from '../shell/turns.ts';
import { beginsWith } from './bu-password.ts';
import { restore } from './bu-restore.ts';
import { gives, installedApps } from './installed.ts';

/** The shell's way to the platform's own backup (AOSP, frameworks/base, cmds/bu): `bu backup -noapk -obb -noshared PACKAGE…`, `bu restore`. */
export const bu: Command = async (process) => {
  const { host, args } = process;
  if (host.mode !== 'system') {
    await process.err('/sbin/sh: bu: not found\n');
    return 127;
  }
  const [verb, ...rest] = args;
  if (verb === 'restore') return restore(process);
  if (verb !== 'backup') return complain(process, 'bu', `unknown command ${verb}`);
  const names = rest.filter((each) => !each.startsWith('-'));
  if (names.length === 0 || !rest.includes('-noapk'))
    return complain(process, 'bu', 'no packages, or programs, which this one does not give');
  const agreed = await host.isAgreedTo('backup');
  if (!agreed) return 0;
  const { head, cipher } = beginsWith(agreed.password);
  await process.out(head);
  await turnsOf(host).reading(async () => {
    const archive = pack();
    const filled = fill(archive, process, names);
    filled.catch((error: unknown) => archive.destroy(error as Error));
    const sent = async (stream: AsyncIterable<Uint8Array>) => {
      for await (const part of stream) await process.out(part);
    };
    const packed = createDeflate();
    await (cipher ? pipeline(archive, packed, cipher, sent) : pipeline(archive, packed, sent));
    await filled;
  });
  return 0;
};

async function fill(archive: Pack, { host }: Process, names: readonly string[]): Promise<void> {
  const sdk = Number(host.properties['ro.build.version.sdk'] ?? 0);
  const data = host.mounts.find(({ at }) => at === '/data');
  const fs = data && (await openFileSystem(data.source));
  const all = await installedApps(host);
  for (const name of names) {
    const app = all.find(({ apk }) => apk.package === name);
    if (!fs || !app || !gives(app, sdk)) continue;
    archive.entry({ name: `apps/${name}/_manifest`, mode: 0o600 }, manifestOf(app.apk, app.installer, sdk));
    for (const [folder, token, before] of placesOf(name)) {
      const root = await fs.find(folder);
      if (root?.type === 'directory') await add(archive, fs, root, `apps/${name}/${before}`, token);
    }
  }
  archive.finalize();
}

const manifestOf = (
  { package: name, versionCode, signing }: Apk,
  installer: string | undefined,
  sdk: number,
) => [1, name, versionCode, sdk, installer ?? '', 0, 1, signing?.certificates[0] ?? 'ab', ''].join('\n');

type Tokens = Readonly<Record<string, string>>;
/** Caches, and what an app says is not to be backed up, are passed over. */
const passedOver = new Set(['cache', 'code_cache', 'no_backup', 'lib']);
const ofData: Tokens = { files: 'f', databases: 'db', shared_prefs: 'sp' };

/** Folders of an app, what their folders are called, and what stands before that. */
const placesOf = (name: string): readonly (readonly [string, Tokens, string])[] => [
  [`/data/${name}`, ofData, ''],
  [`/user_de/0/${name}`, ofData, 'd_'],
  [`/media/0/Android/data/${name}/files`, {}, 'ef'],
  [`/media/0/Android/obb/${name}`, {}, 'obb'],
];

async function add(
  archive: Pack,
  fs: FileSystem,
  folder: FileNode,
  before: string,
  tokens: Tokens,
): Promise<void> {
  const isData = before.endsWith('/') || before.endsWith('/d_');
  for (const { name, inode } of await fs.list(folder)) {
    if (isData && passedOver.has(name)) continue;
    const node = await fs.inode(inode);
    const known = isData ? tokens[name] : undefined;
    const at = known ? `${before}${known}` : `${before}${isData ? 'r' : ''}/${name}`;
    await walk(archive, fs, node, at);
  }
}

/** Links are passed over. */
async function walk(archive: Pack, fs: FileSystem, node: FileNode, at: string): Promise<void> {
  const header: NewHeader = {
    ...{ name: at, mode: node.permissions, uid: node.uid, gid: node.gid },
    mtime: new Date(node.modifiedAt * 1000),
  };
  if (node.type === 'directory') {
    archive.entry({ ...header, type: 'directory' });
    for (const { name, inode } of await fs.list(node))
      await walk(archive, fs, await fs.inode(inode), `${at}/${name}`);
  }
  if (node.type !== 'file') return;
  const parts: Uint8Array[] = [];
  for await (const part of fs.content(node)) parts.push(Uint8Array.from(part));
  await new Promise<void>((resolve, reject) =>
    archive.entry({ ...header, type: 'file' }, Buffer.concat(parts), (error) =>
      error ? reject(error) : resolve(),
    ),
  );
}
