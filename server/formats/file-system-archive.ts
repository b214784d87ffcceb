import { pack, type Header, type Pack } from 'tar-stream';
import type { FileNode, FileSystem } from '@keen-larder/core/formats/file-system/reading.ts';

/**
 * A folder of a file system as a tar stream, named as a phone's own tar names it: owners, modes, times, links and
 * extended attributes go along.
 * @param leaveOut names right in the folder
 */
export async function* fileSystemArchive(
  fs: FileSystem,
  folder: FileNode,
  leaveOut: readonly string[] = [],
): AsyncGenerator<Uint8Array> {
  const archive = pack();
  const linked = new Map<number, string>();
  const add = async (path: string, inode: FileNode): Promise<void> => {
    await addEntry(archive, fs, path, inode, linked);
    if (inode.type !== 'directory') return;
    const entries = (await fs.list(inode)).sort((a, b) => (a.name < b.name ? -1 : 1));
    for (const { name, inode: number } of entries) {
      if (path === '.' && leaveOut.includes(name)) continue;
      await add(`${path}/${name}`, await fs.inode(number));
    }
  };
  const packed = add('.', folder).then(() => archive.finalize());
  packed.catch((error: unknown) => archive.destroy(error as Error));
  try {
    yield* archive;
    await packed;
  } finally {
    archive.destroy();
  }
}

async function addEntry(
  archive: Pack,
  fs: FileSystem,
  path: string,
  inode: FileNode,
  linked: Map<number, string>,
): Promise<void> {
  const pax: Record<string, string> = {};
  for (const { name, value } of await fs.attributes(inode)) {
    const text = Buffer.from(value).toString('latin1');
    pax[`SCHILY.xattr.${name}`] = text;
    if (name === 'security.selinux') pax['RHT.security.selinux'] = text.replace(/\0$/, '');
  }
  const header = {
    name: inode.type === 'directory' ? `${path}/` : path,
    mode: inode.permissions,
    uid: inode.uid,
    gid: inode.gid,
    mtime: new Date(inode.modifiedAt * 1000),
    ...(Object.keys(pax).length > 0 && { pax }),
  };
  const put = (over: Partial<Header>) =>
    new Promise<void>((resolve, reject) =>
      archive.entry({ ...header, ...over }, (error) => (error ? reject(error) : resolve())),
    );
  if (inode.type === 'directory') return put({ type: 'directory' });
  if (inode.type === 'link') return put({ type: 'symlink', linkname: await fs.linkTarget(inode) });
  if (inode.type !== 'file') return;
  const first = linked.get(inode.number);
  if (first) return put({ type: 'link', linkname: first });
  if (inode.links > 1) linked.set(inode.number, path);
  await new Promise<void>((resolve, reject) => {
    const entry = archive.entry({ ...header, type: 'file', size: inode.bytes }, (error) =>
      error ? reject(error) : resolve(),
    );
    void (async () => {
      for await (const part of fs.content(inode)) {
        if (!entry.write(Buffer.from(part))) await new Promise((go) => entry.once('drain', go));
      }
      entry.end();
    })().catch(reject);
  });
}
