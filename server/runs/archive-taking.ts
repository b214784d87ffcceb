import type { ArchivePlan } from '@keen-larder/core/phone/archives.ts';
import type { ByteRange } from '@keen-larder/core/bytes/ranges.ts';
import { listText } from '@keen-larder/core/runsheet/index.ts';
import { digestedFiles } from '../formats/tar.ts';
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

const namedFiles = 5;

/** A few of many paths, for a sentence. */
export const someOf = (paths: readonly string[]): string =>
  listText([
    ...paths.slice(0, namedFiles),
    ...(paths.length > namedFiles ? [`${paths.length - namedFiles} more`] : []),
  ]);

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
      if (!(await files.ready())) throw new RunFailure(filesNotReadable);
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
    const named = someOf(differ);
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

export const filesNotReadable =
  'User data cannot be read as files in this mode: it is encrypted. Start the system, where it is open, or keep the block image.';

/** Files of a link. @throws LinkFailure when its mode hands out none */
export function filesOf({ files, mode }: PhoneLink): FileAccess {
  if (!files) throw new LinkFailure(`In ${mode} mode this phone hands out no files.`);
  return files;
}
