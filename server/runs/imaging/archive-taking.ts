import type { ArchivePlan } from '@keen-larder/core/phone/archives.ts';
import type { ProofWay } from '@keen-larder/core/phone/proof-ways.ts';
import type { ByteRange } from '@keen-larder/core/bytes/ranges.ts';
import { someOf } from '@keen-larder/core/runsheet/run-sheets.ts';
import { digestedFiles, type ArchivedEntry } from '../../formats/tar.ts';
import type { FileAccess, PresentFile } from '../../links/phone-link.ts';
import type { StoredImage } from '../../shelf/image-writer.ts';
import type { Taking } from './image-taking.ts';
import { RunFailure } from '../../failures.ts';
import { archivedOf } from '../phone/phone-access.ts';

/** What came of archiving files. */
export interface TakenArchive {
  readonly stored: StoredImage;
  /** The whole of it, when files at rest did not come out as the phone digests them. */
  readonly unsettled: readonly ByteRange[];
  readonly files: number;
  readonly proof: ProofWay;
}

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
  let entries = new Map<string, ArchivedEntry>();
  await phone.retry({
    what: `Archive ${plan.name}`,
    attempt: async ({ link, signal }) => {
      const { files, folder } = archivedOf(link, plan);
      if (!(await files.ready())) throw new RunFailure(filesNotReadable);
      if (writer.taken > 0) {
        passed(-writer.taken);
        await writer.startAnew();
      }
      entries = new Map();
      const stream = files.archive(folder, plan.leaveOut, signal, (text) => run.log(text, 'warning'));
      await writer.take(digestedFiles(stream, entries), passed);
    },
    onBreak: () => set.seal(),
  });
  const stored = await writer.finish();
  const differ = await phone.retry({
    what: `Compare ${plan.name}`,
    attempt: ({ link, signal }) => {
      const { files, folder } = archivedOf(link, plan);
      return differingBytes(files, folder, entries, stored.bytes, signal);
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
  const proof = await phone.retry({
    what: `Compare ${plan.name}`,
    attempt: ({ link }) => archivedOf(link, plan).files.proofWay(),
  });
  const isWrong = differ.length > 0 && !mayChange;
  return {
    stored,
    files: filesAmong(entries).size,
    proof,
    unsettled: isWrong ? [{ offset: 0, bytes: stored.bytes }] : [],
  };
}

type Entries = ReadonlyMap<string, ArchivedEntry>;

/** The files among the entries of an archive, with their SHA-256. */
export const filesAmong = (entries: Entries): Map<string, string> =>
  new Map([...entries].flatMap(([path, { sha256 }]) => (sha256 ? [[path, sha256]] : [])));

/**
 * Files of an archive that the phone digests otherwise.
 * @param folder that the archive's paths lie in
 * @param bytes how many they are together
 */
async function differingBytes(
  files: Pick<FileAccess, 'digests'>,
  folder: string,
  entries: Entries,
  bytes: number,
  signal?: AbortSignal,
): Promise<string[]> {
  const digests = filesAmong(entries);
  const present = await files.digests(folder, [...digests.keys()], bytes, signal);
  return [...digests].filter(([path, digest]) => present.get(path) !== digest).map(([path]) => path);
}

/** How what was unpacked compares with what was kept. */
export interface Unpacked {
  /** What the phone has with other bytes, another owner, mode, label or link target. */
  readonly differ: readonly string[];
  /** False where the phone tells no SELinux labels, so that nobody knows those. */
  readonly tellsLabels: boolean;
}

/** What became of an archive that was unpacked. What its tar did not set is set first. */
export async function compareUnpacked(
  files: Pick<FileAccess, 'digests' | 'owners' | 'settle'>,
  folder: string,
  entries: Entries,
  bytes: number,
  signal?: AbortSignal,
): Promise<Unpacked> {
  const wrong = await differingBytes(files, folder, entries, bytes, signal);
  const plain = (path: string) => path.replace(/(.)\/$/, '$1');
  const wanted = [...entries].map(([path, { uid, gid, mode, label, type }]) => {
    const isLink = type === 'symlink';
    return [plain(path), { uid, gid, mode, label: isLink ? undefined : label, isLink }] as const;
  });
  await files.settle(folder, new Map(wanted), signal);
  const present = await files.owners(folder, [...entries.keys()].map(plain), signal);
  const labelled = wanted.filter(([, { label }]) => label !== undefined);
  const tellsLabels =
    labelled.length === 0 || labelled.some(([path]) => present.get(path)?.label !== undefined);
  const others = [...entries].filter(([path, kept]) => {
    const there = present.get(plain(path));
    return !isOwnedAlike(kept, there) || (tellsLabels && !isLabelledAlike(kept, there));
  });
  return { differ: [...new Set([...wrong, ...others.map(([path]) => path)])], tellsLabels };
}

const isOwnedAlike = (kept: ArchivedEntry, present: PresentFile | undefined): boolean =>
  present !== undefined &&
  present.uid === kept.uid &&
  present.gid === kept.gid &&
  // Of a link, nobody asks for the mode.
  (present.isLink || present.mode === kept.mode) &&
  (kept.type !== 'symlink' || present.target === kept.target);

const isLabelledAlike = (kept: ArchivedEntry, present: PresentFile | undefined): boolean =>
  kept.label === undefined || kept.type === 'symlink' || present?.label === kept.label;

/** In a sentence, behind what is the same. */
export const andLabels = ({ tellsLabels }: Unpacked): string =>
  tellsLabels
    ? 'owners, modes and labels'
    : 'owners and modes; it tells no SELinux labels, so those are not proved';

export const filesNotReadable =
  'User data cannot be read as files in this mode: it is encrypted. Start the system, where it is open, or keep the block image.';
