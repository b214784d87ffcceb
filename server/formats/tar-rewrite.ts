import type { Writable } from 'node:stream';
import { extract, type Header } from 'tar-stream';
import { UnsafeEntry, type AppEntry } from '@keen-larder/core/apps/entries.ts';
import { requirePlain } from './tar.ts';
import { tarEnd, tarHeader, tarPadding, type TarHead } from './tar-header.ts';

/** What stands for bytes that are no text. */
const notUtf8 = '\ufffd';
const labelKeys = ['RHT.security.selinux', 'SCHILY.xattr.security.selinux'] as const;
const typeNames: Readonly<Record<string, TarHead['type']>> = {
  file: 'file',
  'contiguous-file': 'file',
  directory: 'directory',
  link: 'link',
  symlink: 'symlink',
};

/**
 * An archive made anew for a phone's own tar, with other owners, modes and labels; sizes, times and contents stay as they are.
 * Other extended attributes stay out: no phone's tar takes them.
 * @param place says what an entry is to be, nothing of one to be left out; what it throws ends the archive
 */
export async function* rewrittenTar(
  stream: AsyncIterable<Uint8Array>,
  place: (entry: AppEntry) => AppEntry | undefined,
): AsyncGenerator<Uint8Array> {
  const reader = extract();
  const fed = (async () => {
    for await (const part of stream) {
      // What is handed on is good until the next piece is asked for; the reader keeps it longer.
      if (!reader.write(Buffer.from(part))) await drained(reader);
    }
    reader.end();
  })();
  fed.catch((error: unknown) => reader.destroy(error as Error));
  try {
    for await (const entry of reader) {
      requirePlain(entry.header);
      const head = changed(entry.header, place);
      if (!head) {
        entry.resume();
        continue;
      }
      yield tarHeader(head);
      if (head.bytes > 0) {
        yield* entry as AsyncIterable<Uint8Array>;
        yield tarPadding(head.bytes);
      } else entry.resume();
    }
    await fed;
    yield tarEnd();
  } finally {
    reader.destroy();
  }
}

const drained = (stream: Writable) =>
  new Promise<void>((resolve, reject) => {
    const closed = () => reject(new Error('the archive was given up'));
    stream.once('close', closed);
    stream.once('drain', () => {
      stream.off('close', closed);
      resolve();
    });
  });

function changed(header: Header, place: (entry: AppEntry) => AppEntry | undefined): TarHead | undefined {
  for (const name of [header.name, header.linkname ?? ''])
    if (name.includes(notUtf8))
      throw new UnsafeEntry(`${name} has a name that is not UTF-8, which could not be told from others`);
  const had = header.pax ?? {};
  const label = labelKeys
    .map((key) => had[key])
    .find(Boolean)
    ?.replace(/\0$/, '');
  const type = typeNames[header.type ?? 'file'];
  const next = place({
    path: header.name,
    type: type ?? header.type ?? 'unknown',
    ...(header.linkname && { target: header.linkname }),
    uid: header.uid ?? 0,
    gid: header.gid ?? 0,
    mode: header.mode ?? 0o600,
    ...(label !== undefined && { label }),
  });
  // What is none of these holds nothing.
  if (!next || !type) return undefined;
  return {
    name: next.type === 'directory' ? `${nameIn(next.path)}/` : nameIn(next.path),
    type,
    mode: next.mode,
    uid: next.uid,
    gid: next.gid,
    modifiedAt: Math.floor((header.mtime?.getTime() ?? 0) / 1000),
    bytes: type === 'file' ? (header.size ?? 0) : 0,
    ...(next.target !== undefined && { target: next.type === 'link' ? nameIn(next.target) : next.target }),
    label: next.label,
  };
}

/** As the phone's tar names what lies in the folder itself. */
const nameIn = (path: string) => (path === '.' ? '.' : `./${path}`);

/** An archive as a phone's tar made it, with labels that were asked for besides. @param labels by the paths in it */
export const labelledTar = (
  stream: AsyncIterable<Uint8Array>,
  labels: ReadonlyMap<string, string>,
): AsyncGenerator<Uint8Array> =>
  rewrittenTar(stream, (entry) => {
    const path = entry.path.replace(/(.)\/$/, '$1');
    const label = entry.type === 'symlink' ? undefined : labels.get(path);
    return { ...entry, path: path.replace(/^\.\//, ''), ...(label !== undefined && { label }) };
  });
