import { mkdtemp, open, rm, type FileHandle } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { extract, type Header } from 'tar-stream';
import { BuildError } from '@keen-larder/core/formats/file-system/building.ts';
import { editTree, type Addition } from '../../flash/file-tree.ts';
import { complain, resolvePath, type Process } from '../host.ts';
import type { Place } from './place.ts';
import { turnsOf } from '../turns.ts';

const pieceBytes = 1 << 20;
const mediaOwner = 1023;

/**
 * Unpacks an archive from standard input into a folder of a mounted file system. What has come whole is kept
 * when the rest does not come, as with a real one.
 */
export async function unpackFolder(process: Process, { mount, within }: Place): Promise<number> {
  if (!mount.writable) return complain(process, 'tar', `${within}: Read-only file system`);
  const scratch = await mkdtemp(join(tmpdir(), 'keen-larder-tar-'));
  const spool = await open(join(scratch, 'spool'), 'w+');
  try {
    const adds: Addition[] = [];
    let fault: Error | undefined;
    try {
      await takeAll(process, spool, within, adds);
    } catch (error) {
      fault = error as Error;
    }
    if (process.host.flash.faults.isFull && adds.some((each) => 'bytes' in each && each.bytes))
      return await complain(process, 'tar', 'write: No space left on device');
    try {
      await turnsOf(process.host).changing(() => editTree(mount.source, { adds }));
    } catch (error) {
      if (!(error instanceof BuildError)) throw error;
      return await complain(process, 'tar', error.message);
    }
    return fault ? await complain(process, 'tar', fault.message) : 0;
  } finally {
    await spool.close();
    await rm(scratch, { recursive: true });
  }
}

/** Reads entries as they come, their contents put aside; `adds` has what came whole even when it throws. */
async function takeAll(process: Process, spool: FileHandle, base: string, adds: Addition[]): Promise<void> {
  const reader = extract();
  const fed = (async () => {
    for await (const part of process.stdin) {
      const carried = process.host.flash.faults.onCable(Buffer.from(part));
      if (!reader.write(carried)) await new Promise<void>((go) => reader.once('drain', go));
    }
    reader.end();
  })();
  fed.catch((error: unknown) => reader.destroy(error as Error));
  let at = 0;
  for await (const entry of reader) {
    const from = at;
    for await (const part of entry) {
      await spool.write(part, 0, part.length, at);
      at += part.length;
    }
    const made = additionOf(entry.header, base, spool, from);
    // Others than root unpack what is their own; shared storage is of the media service.
    if (made && process.uid !== 0 && 'uid' in made) adds.push({ ...made, uid: mediaOwner, gid: mediaOwner });
    else if (made) adds.push(made);
  }
  await fed;
}

function additionOf(header: Header, base: string, spool: FileHandle, from: number): Addition | undefined {
  const within = (name: string) => resolvePath(base, name);
  const path = within(header.name);
  if (path === '/lost+found') return undefined;
  if (header.type === 'link') return { path, linkTo: within(header.linkname) };
  const type =
    header.type === 'directory'
      ? 'directory'
      : header.type === 'symlink'
        ? 'link'
        : header.type === 'file'
          ? 'file'
          : undefined;
  if (!type) return undefined;
  return {
    path,
    type,
    permissions: header.mode ?? 0o600,
    uid: header.uid ?? 0,
    gid: header.gid ?? 0,
    modifiedAt: Math.floor((header.mtime?.getTime() ?? 0) / 1000),
    attributes: attributesOf(header.pax ?? {}),
    ...(type === 'link' && { target: header.linkname }),
    ...(type === 'file' && { bytes: header.size ?? 0, content: spooled(spool, from, header.size ?? 0) }),
  };
}

/** As packed with --xattrs and --selinux; the label comes twice. */
function attributesOf(pax: Readonly<Record<string, string>>) {
  const found = new Map<string, Uint8Array>();
  for (const [key, value] of Object.entries(pax)) {
    const name = /^SCHILY\.xattr\.(.+)$/.exec(key)?.[1];
    if (name) found.set(name, Buffer.from(value, 'latin1'));
  }
  const label = pax['RHT.security.selinux'];
  if (label !== undefined && !found.has('security.selinux')) {
    found.set('security.selinux', Buffer.from(`${label}\0`, 'latin1'));
  }
  return [...found].map(([name, value]) => ({ name, value }));
}

async function* spooled(spool: FileHandle, from: number, bytes: number): AsyncGenerator<Uint8Array> {
  for (let done = 0; done < bytes; done += pieceBytes) {
    const piece = Buffer.alloc(Math.min(pieceBytes, bytes - done));
    await spool.read(piece, 0, piece.length, from + done);
    yield piece;
  }
}
