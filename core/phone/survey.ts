import type { PhoneMode } from './modes.ts';
import { proofWords, type ProofWay } from './proof-ways.ts';

/** How a thing that was tried on a phone came out. */
export type Tried = 'works' | 'missing' | 'refused' | 'wrong' | 'not tried';

/** One thing that was tried, without writing anything. */
export interface Finding {
  /** What it was, in a few words. */
  readonly what: string;
  readonly result: Tried;
  /** What was found, in the phone's words or in ours. */
  readonly found: string;
}

/** What a phone's tools can do, as far as that can be found out by reading. */
export interface PhoneTools {
  /** The adb daemon frames what a command prints, complains of and ends with. */
  readonly isFramed: boolean;
  /** What runs a command as root: nothing when the daemon is root, otherwise the form of `su`; undefined without root. */
  readonly root: string | undefined;
  /** Partitions that it lists by name. */
  readonly partitions: number;
  /** Bytes at a place come out as they do when all around them is read. */
  readonly reads: boolean;
  readonly proof: ProofWay;
  /** Ranges are digested as they are here. */
  readonly digestsRanges: boolean;
  readonly tar: boolean;
  /** How SELinux labels of files come along: in the archive, asked one by one, or not at all; unknown while user data is not mounted. */
  readonly labels: 'packed' | 'asked' | 'none' | 'unknown';
  /** Owners and modes of files are told. */
  readonly tellsOwners: boolean;
  readonly makesExt4: boolean;
  readonly makesF2fs: boolean;
  /** Apps that the package manager lists; undefined where there is none. */
  readonly apps: number | undefined;
  /** Files can be listed in shared storage. */
  readonly sharedStorage: boolean;
  /** Records that its content providers hand out without root, by kind. */
  readonly providers: readonly string[];
}

export interface Survey {
  /** Milliseconds since 1970. */
  readonly at: number;
  readonly mode: PhoneMode;
  /** The build that it was made of; empty where this mode tells none. */
  readonly build: string;
  readonly findings: readonly Finding[];
  /** Left out in modes without a shell. */
  readonly tools?: PhoneTools;
}

/** A job, and how it will be done on this phone. */
export interface WayOfJob {
  readonly job: string;
  readonly isPossible: boolean;
  /** How, or what is in the way and what would open it. */
  readonly how: string;
}

const labelWords = {
  packed: 'labels packed along',
  asked: 'labels asked for one by one',
  none: 'without SELinux labels, which it does not tell',
  unknown: 'whether it tells SELinux labels is seen once user data is mounted',
} as const;

const asWhom = (root: string | undefined) => (root ? `through ${root}` : 'as root');

/** Which way each job will be done, from what was found out. */
export function waysFor({ mode, tools }: Pick<Survey, 'mode' | 'tools'>): WayOfJob[] {
  if (!tools) return [];
  const { root } = tools;
  const hasRoot = root !== undefined;
  const noRoot =
    mode === 'recovery'
      ? 'This recovery gives no root: another recovery, or loader mode, would open it.'
      : 'The system gives no root: a recovery with root, or loader mode, would open it.';
  const reaches = hasRoot && tools.partitions > 0 && tools.reads;
  const whyNot = !hasRoot
    ? noRoot
    : tools.partitions === 0
      ? 'It lists no partitions by name.'
      : 'dd does not read the same bytes twice.';
  const proved = `proved by ${proofWords[tools.proof]}`;
  const canArchive = hasRoot && tools.tar && tools.tellsOwners;
  const makes = [tools.makesExt4 ? 'ext4' : '', tools.makesF2fs ? 'f2fs' : ''].filter(Boolean);
  const job = (name: string, isPossible: boolean, how: string, otherwise: string): WayOfJob => ({
    job: name,
    isPossible,
    how: isPossible ? how : otherwise,
  });
  const all = [
    job('Image partitions', reaches, `dd ${asWhom(root)}, ${proved}`, whyNot),
    job(
      'Image blocks in use alone',
      reaches && tools.digestsRanges,
      `ranges by dd, ${proved}`,
      reaches ? 'It computes other digests of ranges than this computer: read partitions whole.' : whyNot,
    ),
    job(
      'Put partitions back',
      reaches && mode === 'recovery',
      `dd ${asWhom(root)}, ${proved}; not tried, since it writes`,
      reaches ? 'Not while the system runs: restart into recovery.' : whyNot,
    ),
    job(
      'Keep user data as files',
      canArchive,
      `tar, ${labelWords[tools.labels]}`,
      !hasRoot ? noRoot : !tools.tar ? 'It has no tar.' : 'Its stat tells no owners and modes.',
    ),
    job(
      'Format user data',
      hasRoot && mode === 'recovery' && makes.length > 0,
      `as ${makes.join(' or ')}; not tried, since it writes`,
      hasRoot && mode === 'recovery'
        ? 'It has neither mke2fs nor make_f2fs.'
        : 'Not in this mode: restart into a recovery with root.',
    ),
  ];
  if (mode === 'system')
    all.push(
      job(
        'Copy apps',
        tools.apps !== undefined,
        hasRoot ? 'programs and data' : 'programs, and of data what the phone’s own backup gives',
        'Its package manager does not answer.',
      ),
      job(
        'Keep records',
        hasRoot || tools.providers.length > 0,
        hasRoot ? 'their databases, as files' : `${tools.providers.join(', ')}: what content providers tell`,
        noRoot,
      ),
      job(
        'Keep photos and downloads',
        canArchive || (tools.sharedStorage && tools.tar),
        hasRoot ? 'tar as root' : 'tar, without root',
        'Shared storage cannot be listed.',
      ),
    );
  return all;
}

/**
 * A survey as text, to send along with a question.
 * @param about what phone it is of, without its serial or its name
 * @param hidden words that are blanked wherever they come: the serial, names
 */
export function surveyReport(survey: Survey, about: string, hidden: readonly string[]): string {
  const lines = [
    `Survey of ${about} in ${survey.mode} mode, ${new Date(survey.at).toISOString().slice(0, 10)}`,
    `Build: ${survey.build || 'not told'}`,
    '',
    'What was tried, reading alone:',
    ...survey.findings.map(({ what, result, found }) => `- ${what}: ${result}${found ? ` (${found})` : ''}`),
    ...(survey.tools ? ['', 'Ways:'] : []),
    ...waysFor(survey).map(({ job, isPossible, how }) => `- ${job}: ${isPossible ? how : `no. ${how}`}`),
  ];
  const blanked = hidden
    .filter((word) => word.length > 2)
    .reduce((text, word) => text.replaceAll(word, '•••'), lines.join('\n'));
  return `${blanked}\n`;
}
