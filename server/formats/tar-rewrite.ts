import type { Writable } from 'node:stream';
import { extract, pack, type Header, type NewHeader } from 'tar-stream';
import type { AppEntry } from '@keen-larder/core/apps/entries.ts';

const labelKeys = ['RHT.security.selinux', 'SCHILY.xattr.security.selinux'] as const;
/** What the header itself says, or is changed. */
const madeAnew = new Set<string>(['path', 'linkpath', 'size', 'uid', 'gid', 'mtime', ...labelKeys]);
const typeNames: Readonly<Record<string, Header['type']>> = {
  file: 'file',
  'contiguous-file': 'file',
  directory: 'directory',
  link: 'link',
  symlink: 'symlink',
};

/**
 * An archive made anew with other owners, modes and labels; sizes, times, contents and extended attributes
 * stay as they are.
 * @param place says what an entry is to be, nothing of one to be left out; what it throws ends the archive
 */
export async function* rewrittenTar(
  stream: AsyncIterable<Uint8Array>,
  place: (entry: AppEntry) => AppEntry | undefined,
): AsyncGenerator<Uint8Array> {
  const reader = extract();
  const archive = pack();
  const fed = (async () => {
    for await (const part of stream) {
      // What is handed on is good until the next piece is asked for; the reader keeps it longer.
      if (!reader.write(Buffer.from(part))) await drained(reader);
    }
    reader.end();
  })();
  fed.catch((error: unknown) => reader.destroy(error as Error));
  const written = (async () => {
    for await (const entry of reader) {
      const header = changed(entry.header, place);
      if (!header) {
        entry.resume();
        continue;
      }
      const into = archive.entry(header);
      if (header.type === 'file' && (header.size ?? 0) > 0) {
        for await (const part of entry) if (!into.write(part)) await drained(into);
      } else {
        entry.resume();
      }
      into.end();
    }
    await fed;
    archive.finalize();
  })();
  written.catch((error: unknown) => archive.destroy(error as Error));
  try {
    yield* archive;
    await written;
  } finally {
    reader.destroy();
    archive.destroy();
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

function changed(header: Header, place: (entry: AppEntry) => AppEntry | undefined): NewHeader | undefined {
  const had = header.pax ?? {};
  const pax = Object.fromEntries(Object.entries(had).filter(([key]) => !madeAnew.has(key)));
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
  if (!next) return undefined;
  if (next.label !== undefined) {
    pax[labelKeys[0]] = next.label;
    pax[labelKeys[1]] = `${next.label}\0`;
  }
  return {
    name: next.type === 'directory' ? `${nameIn(next.path)}/` : nameIn(next.path),
    type: type!,
    mode: next.mode,
    uid: next.uid,
    gid: next.gid,
    mtime: header.mtime ?? new Date(0),
    size: type === 'file' ? (header.size ?? 0) : 0,
    ...(next.target !== undefined && { linkname: next.type === 'link' ? nameIn(next.target) : next.target }),
    ...(Object.keys(pax).length > 0 && { pax }),
  };
}

/** As the phone's tar names what lies in the folder itself. */
const nameIn = (path: string) => (path === '.' ? '.' : `./${path}`);
