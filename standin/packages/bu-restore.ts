import { createHash } from 'node:crypto';
import { inflateSync } from 'node:zlib';
import { extract } from 'tar-stream';
import { categoriesOf } from '@keen-larder/core/apps/ids.ts';
import { onePiece } from '@keen-larder/core/bytes/one-piece.ts';
import type { NewFile } from '@keen-larder/core/formats/file-system/building.ts';
import { openFileSystem } from '@keen-larder/core/formats/file-system/open.ts';
import { editTree } from '../flash/file-tree.ts';
import type { Process } from '../shell/host.ts';
import { turnsOf } from '../shell/turns.ts';
import { gives, installedApps, type Installed } from './installed.ts';

const begins = 'ANDROID BACKUP\n5\n1\nnone\n';
const folders: Readonly<Record<string, string>> = { f: 'files', db: 'databases', sp: 'shared_prefs', r: '' };

/** What a backup has of one app. */
interface Taken {
  readonly app: Installed;
  readonly files: {
    readonly path: string;
    readonly bytes: Buffer;
    readonly mode: number;
    readonly modifiedAt: number;
  }[];
}

/**
 * `bu restore`, once somebody agreed: apps that allow it, that are here in that version or a later one, and that the same hand signed; what
 * they had goes first (AOSP, frameworks/base, services/backup, FullRestoreEngine). It says nothing of what it did.
 */
export async function restore(process: Process): Promise<number> {
  const { host } = process;
  if (!(await host.isAgreedTo('restore'))) return 0;
  const parts: Uint8Array[] = [];
  for await (const part of process.stdin) parts.push(Uint8Array.from(host.flash.faults.onCable(part)));
  const stream = Buffer.concat(parts);
  if (!stream.subarray(0, begins.length).equals(Buffer.from(begins))) return 0;
  const sdk = Number(host.properties['ro.build.version.sdk'] ?? 0);
  const data = host.mounts.find(({ at }) => at === '/data');
  if (!data?.writable) return 0;
  const taken = await unpacked(inflateSync(stream.subarray(begins.length)), await installedApps(host), sdk);
  await turnsOf(host).changing(async () => {
    const fs = await openFileSystem(data.source);
    const adds: NewFile[] = [];
    const emptied = new Set<string>();
    for (const { app, files } of taken) {
      const { package: name } = app.apk;
      for (const root of [`/data/${name}`, `/user_de/0/${name}`]) emptied.add(root);
      const made = new Set<string>();
      const own = {
        uid: app.uid,
        gid: app.uid,
        attributes: [
          {
            name: 'security.selinux',
            value: Buffer.from(
              `u:object_r:app_data_file:s0:${categoriesOf({ user: 0, appId: app.uid })}\0`,
              'latin1',
            ),
          },
        ],
      };
      for (const { path, bytes, mode, modifiedAt } of files) {
        const steps = path.split('/').slice(1);
        for (let depth = 3; depth < steps.length; depth++) {
          const folder = `/${steps.slice(0, depth).join('/')}`;
          if (made.has(folder) || [...emptied].includes(folder) || (await isKept(fs, folder, emptied)))
            continue;
          made.add(folder);
          adds.push({ path: folder, type: 'directory', permissions: 0o771, modifiedAt, ...own });
        }
        adds.push({
          ...{ path, type: 'file', permissions: mode, modifiedAt, ...own },
          ...{ bytes: bytes.length, content: onePiece(bytes) },
        });
      }
    }
    const isWithin = (path: string) =>
      [...emptied].some((root) => path.startsWith(`${root}/`) && path !== `${root}/lib`);
    await editTree(data.source, { removes: isWithin, adds });
  });
  return 0;
}

const isKept = async (
  fs: Awaited<ReturnType<typeof openFileSystem>>,
  folder: string,
  emptied: ReadonlySet<string>,
): Promise<boolean> =>
  ![...emptied].some((root) => folder.startsWith(`${root}/`)) && (await fs.find(folder)) !== undefined;

async function unpacked(tar: Buffer, installed: readonly Installed[], sdk: number): Promise<Taken[]> {
  const reader = extract();
  reader.end(tar);
  const taken = new Map<string, Taken>();
  for await (const entry of reader) {
    const { name, type, mode, mtime } = entry.header;
    const content: Uint8Array[] = [];
    for await (const part of entry) content.push(part);
    const bytes = Buffer.concat(content);
    const [, owner = '', token = '', ...rest] = name.split('/');
    if (token === '_manifest') {
      const app = installed.find(({ apk }) => apk.package === owner);
      if (app && gives(app, sdk) && isAccepted(bytes.toString(), app)) taken.set(owner, { app, files: [] });
    } else if (type === 'file') {
      const place = placeOf(owner, token, rest.join('/'));
      if (place)
        taken
          .get(owner)
          ?.files.push({ path: place, bytes, mode, modifiedAt: Math.floor(mtime.getTime() / 1000) });
    }
  }
  return [...taken.values()];
}

/** By its version, and by who signed it. */
function isAccepted(manifest: string, { apk }: Installed): boolean {
  const [, , version, , , , , ...signers] = manifest.trim().split('\n');
  const digests = signers.map((each) => createHash('sha256').update(each, 'hex').digest('hex'));
  return (
    Number(version) <= apk.versionCode &&
    digests.length > 0 &&
    digests.every((each) => apk.signing?.certificates.includes(each))
  );
}

function placeOf(app: string, token: string, path: string): string | undefined {
  if (token === 'ef') return `/media/0/Android/data/${app}/files/${path}`;
  if (token === 'obb') return `/media/0/Android/obb/${app}/${path}`;
  const isDevice = token.startsWith('d_');
  const folder = folders[isDevice ? token.slice(2) : token];
  if (folder === undefined) return undefined;
  return [isDevice ? '/user_de/0' : '/data', app, folder, path].filter(Boolean).join('/');
}
