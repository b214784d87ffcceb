import { someOf } from '@keen-larder/core/runsheet/run-sheets.ts';
import { LinkFailure, PhoneRefusal } from '../../../failures.ts';
import { tarEnd, tarHeader } from '../../../formats/tar-header.ts';
import { labelledTar } from '../../../formats/tar-rewrite.ts';
import type { PresentFile } from '../../phone-link.ts';
import { commands } from '../commands.ts';
import type { AdbShell } from '../shell.ts';

const labelOption = '--selinux';
/** Two empty blocks. */
const endBytes = 1024;
/** Lists of all files of user data. */
const mostListBytes = 256 << 20;

interface Labelled {
  readonly path: string;
  readonly label: string;
  readonly isFolder: boolean;
}

/** Archives of a phone's folders, made by its own tar as far as that goes. */
export class AdbArchives {
  /** Of tar, so that labels come along; not known at first. */
  private options: string | undefined;

  /** @param ownersOf a folder itself, as `.` */
  constructor(
    private readonly shell: AdbShell,
    private readonly ownersOf: (folder: string) => Promise<Map<string, PresentFile>>,
  ) {}

  /**
   * A tar stream of names in a folder.
   * @param leaveOut of what is left out nothing is told
   * @throws LinkFailure when it does not come to its end, PhoneRefusal when the phone says why
   */
  async *of(
    folder: string,
    names: readonly string[],
    leaveOut: readonly string[],
    signal: AbortSignal | undefined,
    remark: (text: string) => void,
  ): AsyncGenerator<Uint8Array> {
    const options = await this.labelOptions(folder);
    const labels = options === '' ? await this.labels(folder, signal) : [];
    if (options === '' && labels.length === 0) remark('The phone tells no SELinux labels: none are kept.');
    const unkept = await this.unkept(folder, leaveOut, signal);
    if (unkept.length > 0)
      remark(
        `${someOf(unkept)} ${unkept.length > 1 ? 'are sockets, pipes or devices' : 'is a socket, a pipe or a device'}: not kept.`,
      );
    if (leaveOut.length > 0) yield await this.headOf(folder, signal);
    if (names.length === 0) {
      yield tarEnd();
      return;
    }
    let complaint = '';
    const mayComplain = (words: string) => {
      complaint = words;
      for (const line of linesAmong(words)) remark(`The phone’s tar says: ${line}`);
    };
    const packed = this.shell.stream(commands.archive(folder, options, names), { signal, mayComplain });
    const ended = endedArchive(packed, () => complaint);
    yield* labels.length > 0
      ? labelledTar(ended, new Map(labels.map(({ path, label }) => [path, label])))
      : ended;
  }

  /** The folder itself, as an entry of an archive of what is in it. */
  private async headOf(folder: string, signal?: AbortSignal): Promise<Buffer> {
    const owner = (await this.ownersOf(folder)).get('.');
    const [, modifiedAt] =
      /^\d+ (\d+) /.exec(await this.shell.text(commands.dates([folder]), { signal })) ?? [];
    if (!owner || modifiedAt === undefined) throw new PhoneRefusal(`There is no ${folder} on the phone.`);
    const { uid, gid, mode, label } = owner;
    return tarHeader({
      ...{ name: './', type: 'directory', uid, gid, mode, label },
      modifiedAt: Number(modifiedAt),
      bytes: 0,
    });
  }

  /** What has a label in a folder, links apart: toybox tells that of what they lead to. Paths are as the phone's tar has them. */
  private async labels(folder: string, signal?: AbortSignal): Promise<readonly Labelled[]> {
    const text = await this.shell.text(commands.labels(folder), { signal, mostBytes: mostListBytes });
    return [...text.matchAll(/^(\S+:\S+) ([^|\n]*)\|(\..*)$/gm)]
      .map(([, label, type, path]) => ({ path: path!, label: label!, isFolder: type === 'directory', type }))
      .filter(({ type }) => type !== 'symbolic link');
  }

  /** Sockets and pipes in a folder, by their paths in it. */
  private async unkept(folder: string, leaveOut: readonly string[], signal?: AbortSignal): Promise<string[]> {
    const text = await this.shell.text(commands.unkept(folder), { signal, mostBytes: mostListBytes });
    return text
      .split('\n')
      .filter((path) => path.startsWith(`${folder}/`))
      .map((path) => path.slice(folder.length + 1))
      .filter((path) => !leaveOut.some((out) => path === out || path.startsWith(`${out}/`)));
  }

  async wayOfLabels(folder: string): Promise<'packed' | 'asked' | 'none'> {
    if ((await this.labelOptions(folder)) !== '') return 'packed';
    return (await this.labels(folder)).length > 0 ? 'asked' : 'none';
  }

  /**
   * Whether the phone's tar packs labels, found out on a folder by doing so: some name the option and fail with it.
   * Where it does not, labels are asked for one by one.
   */
  async labelOptions(folder: string): Promise<string> {
    if (this.options !== undefined) return this.options;
    const { stdout, stderr, exitCode } = await this.shell.run(commands.tarHelp());
    if (exitCode === 127)
      throw new PhoneRefusal('The phone has no tar, so it cannot make an archive of files.');
    if (!`${stdout}${stderr}`.includes(labelOption)) return (this.options = '');
    const labelled = (await this.labels(folder)).find(({ isFolder }) => isFolder);
    // In a folder without any it makes no difference.
    if (!labelled) return '';
    const script = commands.archiveAlone(`${folder}/${labelled.path}`, labelOption);
    const tried = await this.shell.run(this.shell.rooted(script));
    const isPacked = tried.exitCode === 0 && tried.stdout.includes(`RHT.security.selinux=${labelled.label}`);
    return (this.options = isPacked ? labelOption : '');
  }
}

const mostComplaints = 20;

/** A command's complaints, one a line, not all where there are many. */
function linesAmong(words: string): string[] {
  const lines = words.split('\n').filter((line) => line.trim() !== '');
  const rest = lines.length - mostComplaints;
  return rest > 0 ? [...lines.slice(0, mostComplaints), `and ${rest} lines more`] : lines;
}

/**
 * An archive that came to its end, which two empty blocks mark: a tar that complains may still have packed all it could.
 * @param complaint of the tar that made it
 */
async function* endedArchive(
  stream: AsyncIterable<Uint8Array>,
  complaint: () => string,
): AsyncGenerator<Uint8Array> {
  let zeros = 0;
  for await (const part of stream) {
    const tail = part.subarray(-endBytes);
    const last = tail.findLastIndex((byte) => byte !== 0);
    zeros = last < 0 ? zeros + tail.length : tail.length - 1 - last;
    yield part;
  }
  if (zeros >= endBytes) return;
  const said = complaint().trim();
  throw said === ''
    ? new LinkFailure('The archive ended in the middle. Check the cable, then start again.')
    : new PhoneRefusal(`The phone’s tar made no whole archive: “${linesAmong(said).join(' ')}”.`, said);
}
