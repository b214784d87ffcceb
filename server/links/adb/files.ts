import { FormatError } from '@keen-larder/core/bytes/format-error.ts';
import type { ByteSource } from '@keen-larder/core/bytes/source.ts';
import { settingsText } from '@keen-larder/core/formats/abx/abx.ts';
import { type DescribedFile, type FileAccess, type PresentFile } from '../phone-link.ts';
import { batches } from './batches.ts';
import { fileOn } from './file-source.ts';
import { parseMounts, type MountLine } from './parsing.ts';
import { commands } from './commands.ts';
import type { AdbShell } from './shell.ts';
import type { Quiet } from '../silence.ts';
import { tarEnd, tarHeader } from '../../formats/tar-header.ts';
import { labelledTar } from '../../formats/tar-rewrite.ts';
import { LinkFailure, PhoneRefusal } from '../../failures.ts';
import { someOf } from '@keen-larder/core/runsheet/run-sheets.ts';

const mountPoint = '/data';
const fileSystems = ['ext4', 'f2fs'] as const;
/** What every system that has started has there, by names that a locked file system shows as others. */
const alwaysThere = { folder: '/data/system', names: ['packages.xml', 'packages.list', 'users'] };
/** Of shared storage: the service that hands it out (AOSP, AID_MEDIA_RW). */
export const mediaOwner = 1023;
/** What the system translates programs into, and makes anew when it is gone. */
const codeCaches = [`${mountPoint}/dalvik-cache`, `${mountPoint}/resource-cache`];

/** Making a file system and removing many files say nothing until they are done. */
const slow: Quiet = { ms: 300_000 };

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

/** Files of a phone through its own `tar` and `sha256sum`. */
export class AdbFiles implements FileAccess {
  /** Of tar, so that labels come along; not known at first. */
  private options: string | undefined;

  /** @param userData node of its partition */
  constructor(
    private readonly shell: AdbShell,
    private readonly userData: () => Promise<string | undefined>,
  ) {}

  async ready(): Promise<boolean> {
    if (await this.isMounted()) return !(await this.isLocked());
    // Recovery leaves user data alone; what it can read is mounted here, for reading only.
    await this.mount('ro');
    return (await this.isMounted()) && !(await this.isLocked());
  }

  /** In the first way that works. */
  private async mount(way: 'ro' | 'rw'): Promise<void> {
    const node = await this.userDataNode();
    for (const fileSystem of fileSystems) {
      const mount = commands.mount(fileSystem, node, mountPoint, way);
      if ((await this.shell.run(this.shell.rooted(mount))).exitCode === 0) return;
    }
  }

  /** Encrypted file by file, without its keys: then names are others than the system gave. */
  private async isLocked(): Promise<boolean> {
    const { stdout } = await this.shell.run(this.shell.rooted(commands.names(alwaysThere.folder)));
    const names = stdout.split('\n').filter(Boolean);
    return names.length > 0 && !names.some((name) => alwaysThere.names.includes(name));
  }

  private async userDataNode(): Promise<string> {
    const node = await this.userData();
    if (node === undefined) throw new PhoneRefusal('The phone has no partition called userdata.');
    return node;
  }

  async *archive(
    folder: string,
    leaveOut: readonly string[],
    signal?: AbortSignal,
    remark: (text: string) => void = () => undefined,
  ): AsyncGenerator<Uint8Array> {
    const options = await this.tarOptions(folder);
    const labels = options === '' ? await this.labels(folder, signal) : [];
    if (options === '' && labels.length === 0) remark('The phone tells no SELinux labels: none are kept.');
    const unkept = await this.unkept(folder, leaveOut, signal);
    if (unkept.length > 0)
      remark(
        `${someOf(unkept)} ${unkept.length > 1 ? 'are sockets, pipes or devices' : 'is a socket, a pipe or a device'}: not kept.`,
      );
    const isWhole = leaveOut.length === 0;
    const names = isWhole ? ['.'] : await this.othersIn(folder, leaveOut);
    if (!isWhole) yield await this.headOf(folder, signal);
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
    const owner = (await this.owners(folder, ['.'], signal)).get('.');
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

  /** Names in a folder but some, as its archive has them. */
  private async othersIn(folder: string, but: readonly string[]): Promise<string[]> {
    const names = (await this.shell.must(commands.names(folder))).split('\n').filter(Boolean);
    return names.filter((name) => !but.includes(name)).map((name) => `./${name}`);
  }

  async makeWritable(): Promise<boolean> {
    if ((await this.mounted())?.writable) return true;
    await this.shell.run(this.shell.rooted(commands.unmount(mountPoint)));
    await this.mount('rw');
    return (await this.mounted())?.writable ?? false;
  }

  async format(fileSystem: 'ext4' | 'f2fs'): Promise<void> {
    await this.shell.run(this.shell.rooted(commands.unmount(mountPoint)));
    const make = fileSystem === 'ext4' ? commands.makeExt4 : commands.makeF2fs;
    await this.shell.must(make(await this.userDataNode()), { quiet: slow });
  }

  async empty(folder: string, stays: readonly string[]): Promise<void> {
    const names = (await this.shell.must(commands.names(folder))).split('\n').filter(Boolean);
    const gone = names.filter((name) => !stays.includes(name)).map((name) => `${folder}/${name}`);
    for (const batch of batches(gone)) await this.shell.must(commands.removeAll(batch), { quiet: slow });
  }

  async clearCodeCaches(): Promise<void> {
    await this.shell.must(commands.removeAll(codeCaches), { quiet: slow });
  }

  async unpack(folder: string, stream: AsyncIterable<Uint8Array>, signal?: AbortSignal): Promise<void> {
    if (folder.startsWith(`${mountPoint}/media/`)) {
      // Shared storage belongs to the service that hands it out (AOSP: AID_MEDIA_RW).
      await this.shell.must(commands.makeFoldersOf(mediaOwner, [`${mountPoint}/media`, folder]));
    }
    const options = await this.tarOptions(folder);
    await this.shell.feed(commands.unpack(folder, options), stream, { signal });
  }

  async describe(paths: readonly string[], signal?: AbortSignal): Promise<DescribedFile[]> {
    const found: DescribedFile[] = [];
    for (const batch of batches(paths)) {
      const text = await this.shell.text(commands.describeFiles(batch), { signal });
      for (const match of text.matchAll(/^(\d+) (\d+) (\d+) ([0-7]+) (\S+) (\/.*)$/gm)) {
        const [, bytes, uid, gid, mode, label, path] = [...match];
        found.push({
          path: path!,
          bytes: Number(bytes),
          uid: Number(uid),
          gid: Number(gid),
          mode: Number.parseInt(mode!, 8),
          label: label!.includes(':') ? label : undefined,
        });
      }
    }
    return found;
  }

  async remove(paths: readonly string[]): Promise<void> {
    for (const batch of batches(paths)) await this.shell.must(commands.removeAll(batch), { quiet: slow });
  }

  async *content(path: string, signal?: AbortSignal): AsyncGenerator<Uint8Array> {
    yield* this.shell.stream(commands.content(path), { signal });
  }

  async list(folder: string): Promise<{ name: string; isFolder: boolean }[]> {
    const { stdout, exitCode } = await this.shell.run(this.shell.rooted(commands.names(folder)));
    if (exitCode !== 0) return [];
    const found: { name: string; isFolder: boolean }[] = [];
    for (const batch of batches(stdout.split('\n').filter(Boolean))) {
      const text = await this.shell.must(commands.types(folder, batch));
      for (const [, type, name] of text.matchAll(/^(directory|\S.*?) \.\/(.+)$/gm))
        found.push({ name: name!, isFolder: type === 'directory' });
    }
    return found;
  }

  async open(path: string): Promise<ByteSource | undefined> {
    const [, bytes] = /^regular[^|]*\|(\d+)$/m.exec(await this.shell.must(commands.typeAndSize(path))) ?? [];
    return bytes === undefined ? undefined : fileOn(this.shell, path, Number(bytes));
  }

  async text(path: string): Promise<string | undefined> {
    if (!(await this.open(path))) return undefined;
    const parts: Uint8Array[] = [];
    for await (const part of this.content(path)) parts.push(part.slice());
    try {
      return settingsText(Buffer.concat(parts));
    } catch (error) {
      // What the phone cannot read either says nothing.
      if (error instanceof FormatError) return undefined;
      throw error;
    }
  }

  async digests(
    folder: string,
    paths: readonly string[],
    bytes: number,
    signal?: AbortSignal,
  ): Promise<Map<string, string>> {
    const found = new Map<string, string>();
    for (const batch of batches(paths)) {
      const text = await this.shell.text(commands.digestFiles(folder, batch), { signal, quiet: { bytes } });
      for (const match of text.matchAll(/^([0-9a-f]{64})[ *]{2}(.*)$/gm)) found.set(match[2]!, match[1]!);
    }
    return found;
  }

  async owners(
    folder: string,
    paths: readonly string[],
    signal?: AbortSignal,
  ): Promise<Map<string, PresentFile>> {
    const found = new Map<string, PresentFile>();
    for (const batch of batches(paths)) {
      const text = await this.shell.text(commands.owners(folder, batch), { signal });
      const links: string[] = [];
      for (const match of text.matchAll(/^(\d+) (\d+) ([0-7]+) (\S+) ([^|\n]*)\|(.*)$/gm)) {
        const [, uid, gid, mode, label, type, path] = [...match] as [string, ...string[]];
        const isLink = type === 'symbolic link';
        if (isLink) links.push(path!);
        found.set(path!, {
          uid: Number(uid),
          gid: Number(gid),
          mode: Number.parseInt(mode!, 8),
          // Of a link, toybox tells the label of what it leads to.
          label: label!.includes(':') && !isLink ? label : undefined,
          isLink,
        });
      }
      for (const [path, target] of await this.targets(folder, links, signal))
        found.set(path, { ...found.get(path)!, target });
    }
    return found;
  }

  private async isMounted(): Promise<boolean> {
    return (await this.mounted()) !== undefined;
  }

  private async mounted(): Promise<MountLine | undefined> {
    return parseMounts(await this.shell.must(commands.mounts())).findLast(({ at }) => at === mountPoint);
  }

  async settle(
    folder: string,
    wanted: ReadonlyMap<string, PresentFile>,
    signal?: AbortSignal,
  ): Promise<void> {
    const setsLabels = (await this.tarOptions(folder)) !== '';
    const asked = [...wanted].filter(
      ([, { isLink, label }]) => isLink || (label !== undefined && !setsLabels),
    );
    const present = await this.owners(
      folder,
      asked.map(([path]) => path),
      signal,
    );
    const owned = new Map<string, string[]>();
    const labelled = new Map<string, string[]>();
    for (const [path, { isLink, uid, gid, label }] of asked) {
      const there = present.get(path);
      if (isLink && (there?.uid !== uid || there.gid !== gid)) add(owned, `${uid}:${gid}`, path);
      if (!isLink && label !== undefined && there?.label !== label) add(labelled, label, path);
    }
    // Whether it worked is seen by asking once more.
    for (const [owner, paths] of owned)
      for (const batch of batches(paths)) await this.try(commands.ownLinks(owner, folder, batch), signal);
    for (const [label, paths] of labelled)
      for (const batch of batches(paths)) await this.try(commands.label(label, folder, batch), signal);
  }

  private async try(script: string, signal?: AbortSignal): Promise<void> {
    await this.shell.run(this.shell.rooted(script), { signal, quiet: slow });
  }

  private async targets(
    folder: string,
    links: readonly string[],
    signal?: AbortSignal,
  ): Promise<Map<string, string>> {
    const found = new Map<string, string>();
    for (const batch of batches(links)) {
      const lines = (await this.shell.text(commands.linkTargets(folder, batch), { signal })).split('\n');
      const paths = new Set(batch);
      for (const line of lines) {
        const [before, ...target] = line.split(' -> ');
        const path = [...tails(before!)].find((tail) => paths.has(tail));
        if (path !== undefined && target.length > 0) found.set(path, target.join(' -> '));
      }
    }
    return found;
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

  /**
   * Whether the phone's tar packs labels, found out on a folder by doing so: some name the option and fail with it.
   * Where it does not, labels are asked for one by one.
   */
  private async tarOptions(folder: string): Promise<string> {
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

function add(all: Map<string, string[]>, key: string, path: string): void {
  const list = all.get(key);
  if (list) list.push(path);
  else all.set(key, [path]);
}

/** The ends of a line that may be a path, the longest first. */
function* tails(line: string): Generator<string> {
  for (let at = line.indexOf(' '); at >= 0; at = line.indexOf(' ', at + 1)) yield line.slice(at + 1);
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
    const last = part.findLastIndex((byte) => byte !== 0);
    zeros = last < 0 ? zeros + part.length : part.length - 1 - last;
    yield part;
  }
  if (zeros >= endBytes) return;
  const said = complaint().trim();
  throw said === ''
    ? new LinkFailure('The archive ended in the middle. Check the cable, then start again.')
    : new PhoneRefusal(`The phone’s tar made no whole archive: “${linesAmong(said).join(' ')}”.`, said);
}
