import { createHash } from 'node:crypto';
import type { Writable } from 'node:stream';
import { extract, type Extract } from 'tar-stream';
import type { ArchivePlan } from '@keen-larder/core/phone/archives.ts';
import type { ByteRange } from '@keen-larder/core/bytes/ranges.ts';
import { listText } from '@keen-larder/core/runsheet/index.ts';
import { LinkFailure, type FileAccess, type PhoneLink } from '../links/phone-link.ts';
import type { StoredImage } from '../shelf/image-writer.ts';
import type { Taking } from './image-taking.ts';
import { RunFailure } from './engine.ts';

/** What came of archiving files. */
export interface TakenArchive {
  readonly stored: StoredImage;
  /** The whole of it, when files at rest did not come out as the phone digests them. */
  readonly unsettled: readonly ByteRange[];
  readonly files: number;
}

type Entry = Extract extends AsyncIterable<infer Item> ? Item : never;

const namedFiles = 5;

/**
 * Has the phone pack files into an archive and digest each of them; what differs is named.
 * @param mayChange files are in use, so that some may have changed meanwhile
 */
export async function takeArchive(
  { phone, set, run }: Taking,
  plan: ArchivePlan,
  mayChange: boolean,
  passed: (bytes: number) => void,
): Promise<TakenArchive> {
  const writer = set.image(0);
  let digests = new Map<string, string>();
  await phone.insist({
    what: `Archive ${plan.name}`,
    attempt: async ({ link, watch, signal }) => {
      const files = filesOf(link);
      if (!(await files.ready())) throw new RunFailure(notReadable);
      if (writer.taken > 0) {
        passed(-writer.taken);
        await writer.startAnew();
      }
      digests = new Map();
      const stream = watch.over(files.archive(plan.folder, plan.leaveOut, signal));
      await writer.take(digestedFiles(stream, digests), passed);
    },
    onBreak: () => set.seal(),
  });
  const stored = await writer.finish();
  const differ = await phone.insist({
    what: `Compare ${plan.name}`,
    attempt: async ({ link, watch, signal }) => {
      watch.arm(stored.bytes);
      const now = await filesOf(link).digests(plan.folder, [...digests.keys()], signal);
      return [...digests].filter(([path, digest]) => now.get(path) !== digest).map(([path]) => path);
    },
  });
  if (differ.length > 0) {
    const named = listText([
      ...differ.slice(0, namedFiles),
      ...(differ.length > namedFiles ? [`${differ.length - namedFiles} more`] : []),
    ]);
    run.log(
      mayChange
        ? `${named} changed while ${plan.name} was archived: they are as they were at that moment.`
        : `${named} did not come out as the phone digests ${differ.length > 1 ? 'them' : 'it'}.`,
      mayChange ? 'warning' : 'error',
    );
  }
  const isWrong = differ.length > 0 && !mayChange;
  return { stored, files: digests.size, unsettled: isWrong ? [{ offset: 0, bytes: stored.bytes }] : [] };
}

const notReadable =
  'User data cannot be read as files in this mode: it is encrypted. Start the system, where it is open, or keep the block image.';

function filesOf({ files, mode }: PhoneLink): FileAccess {
  if (!files) throw new LinkFailure(`In ${mode} mode this phone hands out no files.`);
  return files;
}

/** Hands an archive on as it comes and digests the files in it on the way. */
async function* digestedFiles(
  stream: AsyncIterable<Uint8Array>,
  digests: Map<string, string>,
): AsyncGenerator<Uint8Array> {
  // A stream of another kind than Node's, which its types do not hide; it works as one.
  const reader = extract() as unknown as Writable & AsyncIterable<Entry>;
  const read = (async () => {
    for await (const entry of reader) {
      if (entry.header.type === 'file') {
        const hash = createHash('sha256');
        for await (const part of entry) hash.update(part as Uint8Array);
        digests.set(entry.header.name, hash.digest('hex'));
      } else entry.resume();
    }
  })();
  read.catch(() => undefined);
  try {
    for await (const part of stream) {
      // What is handed on is good until the next piece is asked for; the reader keeps it longer.
      const own = Buffer.from(part);
      if (!reader.write(own))
        await Promise.race([new Promise((resolve) => reader.once('drain', resolve)), read]);
      yield own;
    }
    reader.end();
    await read;
  } finally {
    reader.destroy();
  }
}
