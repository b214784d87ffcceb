import { FormatError } from '@keen-larder/core/bytes/format-error.ts';
import type { ByteSource } from '@keen-larder/core/bytes/source.ts';
import type { ProofWay } from '@keen-larder/core/phone/proof-ways.ts';
import type { PhoneTools } from '@keen-larder/core/phone/survey.ts';
import { settingsText } from '@keen-larder/core/formats/abx/abx.ts';
import { type DescribedFile, type FileAccess, type FileOwner, type PresentFile } from '../../phone-link.ts';
import { batches } from '../batches.ts';
import { AdbArchives } from './archives.ts';
import type { AdbDigests } from '../digests.ts';
import { fileOn } from './file-source.ts';
import { parseMounts, type MountLine } from '../parsing.ts';
import { commands } from '../commands.ts';
import type { AdbShell } from '../shell.ts';
import type { Quiet } from '../../silence.ts';
import { PhoneRefusal } from '../../../failures.ts';

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

/** Files of a phone through its own `tar`. */
export class AdbFiles implements FileAccess {
  private readonly archives: AdbArchives;

  /** @param userData node of its partition */
  constructor(
    private readonly shell: AdbShell,
    private readonly computed: AdbDigests,
    private readonly userData: () => Promise<string | undefined>,
  ) {
    this.archives = new AdbArchives(shell, (folder) => this.owners(folder, ['.']));
  }

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
    yield* this.archives.of(folder, await this.namesFor(folder, leaveOut), leaveOut, signal, remark);
  }

  /** What of a folder is packed: itself, or all in it but some. */
  private async namesFor(folder: string, leaveOut: readonly string[]): Promise<readonly string[]> {
    return leaveOut.length === 0 ? ['.'] : this.othersIn(folder, leaveOut);
  }

  /** Names in a folder but some, as its archive has them. */
  private async othersIn(folder: string, but: readonly string[]): Promise<string[]> {
    const names = (await this.shell.must(commands.names(folder))).split('\n').filter(Boolean);
    return names.filter((name) => !but.includes(name)).map((name) => `./${name}`);
  }

  /** How labels of files in a folder come along. */
  async surveyLabels(folder: string): Promise<PhoneTools['labels']> {
    const there = await this.archives.wayOfLabels(folder);
    if (there !== 'none') return there;
    return (await this.isMounted()) ? this.archives.wayOfLabels(alwaysThere.folder) : 'unknown';
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
    const options = await this.archives.labelOptions(folder);
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
          ...ownerIn(uid!, gid!, mode!, label!),
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

  proofWay(): Promise<ProofWay> {
    return this.computed.wayOfFiles();
  }

  digests(
    folder: string,
    paths: readonly string[],
    bytes: number,
    signal?: AbortSignal,
  ): Promise<Map<string, string>> {
    return this.computed.files(folder, paths, bytes, signal);
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
          ...ownerIn(uid!, gid!, mode!, label!),
          // Of a link, toybox tells the label of what it leads to.
          ...(isLink && { label: undefined }),
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
    const setsLabels = (await this.archives.labelOptions(folder)) !== '';
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
}

/** From what `stat` prints; one that tells no label prints something else in its place. */
const ownerIn = (uid: string, gid: string, mode: string, label: string): FileOwner => ({
  uid: Number(uid),
  gid: Number(gid),
  mode: Number.parseInt(mode, 8),
  label: label.includes(':') ? label : undefined,
});

function add(all: Map<string, string[]>, key: string, path: string): void {
  const list = all.get(key);
  if (list) list.push(path);
  else all.set(key, [path]);
}

/** The ends of a line that may be a path, the longest first. */
function* tails(line: string): Generator<string> {
  for (let at = line.indexOf(' '); at >= 0; at = line.indexOf(' ', at + 1)) yield line.slice(at + 1);
}
