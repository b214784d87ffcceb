import { FormatError } from '@keen-larder/core/bytes/format-error.ts';
import type { ByteSource } from '@keen-larder/core/bytes/source.ts';
import { settingsText } from '@keen-larder/core/formats/abx/abx.ts';
import { type DescribedFile, type FileAccess, type FileOwner } from '../phone-link.ts';
import { batches } from './batches.ts';
import { fileOn } from './file-source.ts';
import { parseMounts, type MountLine } from './parsing.ts';
import { quote, type AdbShell } from './shell.ts';
import type { Quiet } from '../silence.ts';
import { PhoneRefusal } from '../../failures.ts';

const mountPoint = '/data';
const userDataNode = '/dev/block/by-name/userdata';
/** Of shared storage: the service that hands it out (AOSP, AID_MEDIA_RW). */
export const mediaOwner = 1023;
/** What the system translates programs into, and makes anew when it is gone. */
const codeCaches = [`${mountPoint}/dalvik-cache`, `${mountPoint}/resource-cache`];

/** Making a file system and removing many files say nothing until they are done. */
const slow: Quiet = { ms: 300_000 };

/** Options that keep what plain tar does not, where the phone's tar has them. */
const extras = ['--selinux', '--xattrs'];

/** Files of a phone through its own `tar` and `sha256sum`. */
export class AdbFiles implements FileAccess {
  private options: Promise<string> | undefined;

  constructor(private readonly shell: AdbShell) {}

  async ready(): Promise<boolean> {
    if (await this.isMounted()) return true;
    // Recovery leaves user data alone; what it can read is mounted here, for reading only.
    await this.shell.run(this.shell.rooted(`mount -t ext4 -o ro ${userDataNode} ${mountPoint}`));
    return this.isMounted();
  }

  async *archive(
    folder: string,
    leaveOut: readonly string[],
    signal?: AbortSignal,
  ): AsyncGenerator<Uint8Array> {
    const excludes = leaveOut.map((path) => `--exclude=${quote(`./${path}`)}`).join(' ');
    const options = await this.tarOptions();
    yield* this.shell.stream(`tar -c -f - -C ${quote(folder)} ${options} ${excludes} .`, { signal });
  }

  async makeWritable(): Promise<boolean> {
    if ((await this.mounted())?.writable) return true;
    await this.shell.run(this.shell.rooted(`umount ${mountPoint}`));
    for (const fileSystem of ['ext4', 'f2fs']) {
      const mount = `mount -t ${fileSystem} -o rw ${userDataNode} ${mountPoint}`;
      const { exitCode } = await this.shell.run(this.shell.rooted(mount));
      if (exitCode === 0) break;
    }
    return (await this.mounted())?.writable ?? false;
  }

  async format(fileSystem: 'ext4' | 'f2fs'): Promise<void> {
    await this.shell.run(this.shell.rooted(`umount ${mountPoint}`));
    const make =
      fileSystem === 'ext4'
        ? `mke2fs -t ext4 -b 4096 -q -F ${userDataNode}`
        : `make_f2fs -g android ${userDataNode}`;
    await this.shell.must(make, { quiet: slow });
  }

  async empty(folder: string, stays: readonly string[]): Promise<void> {
    const names = (await this.shell.must(`ls -A ${quote(folder)}`)).split('\n').filter(Boolean);
    const gone = names.filter((name) => !stays.includes(name)).map((name) => `${folder}/${name}`);
    for (const batch of batches(gone))
      await this.shell.must(`rm -rf ${batch.map(quote).join(' ')}`, { quiet: slow });
  }

  async clearCodeCaches(): Promise<void> {
    await this.shell.must(`rm -rf ${codeCaches.map(quote).join(' ')}`, { quiet: slow });
  }

  async unpack(folder: string, stream: AsyncIterable<Uint8Array>, signal?: AbortSignal): Promise<void> {
    if (folder.startsWith(`${mountPoint}/media/`)) {
      // Shared storage belongs to the service that hands it out (AOSP: AID_MEDIA_RW).
      const made = [`${mountPoint}/media`, folder].map(quote).join(' ');
      await this.shell.must(`mkdir -p ${made} && chown ${mediaOwner}:${mediaOwner} ${made}`);
    }
    const options = await this.tarOptions();
    await this.shell.feed(`tar -x -p -f - -C ${quote(folder)} ${options} && sync`, stream, { signal });
  }

  async describe(paths: readonly string[], signal?: AbortSignal): Promise<DescribedFile[]> {
    const found: DescribedFile[] = [];
    for (const batch of batches(paths)) {
      const script = `find ${batch.map(quote).join(' ')} -type f -exec stat -c '%s %u %g %a %C %n' '{}' + 2>/dev/null; true`;
      const text = await this.shell.text(script, { signal });
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
    for (const batch of batches(paths))
      await this.shell.must(`rm -rf ${batch.map(quote).join(' ')}`, { quiet: slow });
  }

  async *content(path: string, signal?: AbortSignal): AsyncGenerator<Uint8Array> {
    yield* this.shell.stream(`cat ${quote(path)}`, { signal });
  }

  async list(folder: string): Promise<{ name: string; isFolder: boolean }[]> {
    const { stdout, exitCode } = await this.shell.run(this.shell.rooted(`ls -A ${quote(folder)}`));
    if (exitCode !== 0) return [];
    const found: { name: string; isFolder: boolean }[] = [];
    for (const batch of batches(stdout.split('\n').filter(Boolean))) {
      const script = `cd ${quote(folder)} && stat -c '%F %n' ${batch.map((name) => quote(`./${name}`)).join(' ')} 2>/dev/null; true`;
      const text = await this.shell.must(script);
      for (const [, type, name] of text.matchAll(/^(directory|\S.*?) \.\/(.+)$/gm))
        found.push({ name: name!, isFolder: type === 'directory' });
    }
    return found;
  }

  async open(path: string): Promise<ByteSource | undefined> {
    const script = `stat -c '%F|%s' ${quote(path)} 2>/dev/null; true`;
    const [, bytes] = /^regular[^|]*\|(\d+)$/m.exec(await this.shell.must(script)) ?? [];
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
      const script = `cd ${quote(folder)} && sha256sum ${batch.map(quote).join(' ')} 2>/dev/null; true`;
      const text = await this.shell.text(script, { signal, quiet: { bytes } });
      for (const match of text.matchAll(/^([0-9a-f]{64})[ *]{2}(.*)$/gm)) found.set(match[2]!, match[1]!);
    }
    return found;
  }

  async owners(
    folder: string,
    paths: readonly string[],
    signal?: AbortSignal,
  ): Promise<Map<string, FileOwner>> {
    const found = new Map<string, FileOwner>();
    for (const batch of batches(paths)) {
      const script = `cd ${quote(folder)} && stat -c '%u %g %a %C %n' ${batch.map(quote).join(' ')} 2>/dev/null; true`;
      const text = await this.shell.text(script, { signal });
      for (const [, uid, gid, mode, label, path] of text.matchAll(/^(\d+) (\d+) ([0-7]+) (\S+) (.*)$/gm)) {
        const isLabel = label!.includes(':');
        found.set(path!, {
          uid: Number(uid),
          gid: Number(gid),
          mode: Number.parseInt(mode!, 8),
          label: isLabel ? label : undefined,
        });
      }
    }
    return found;
  }

  private async isMounted(): Promise<boolean> {
    return (await this.mounted()) !== undefined;
  }

  private async mounted(): Promise<MountLine | undefined> {
    return parseMounts(await this.shell.must('cat /proc/mounts')).findLast(({ at }) => at === mountPoint);
  }

  private tarOptions(): Promise<string> {
    const ask = async () => {
      const { stdout, stderr, exitCode } = await this.shell.run('tar --help');
      if (exitCode === 127)
        throw new PhoneRefusal('The phone has no tar, so it cannot make an archive of files.');
      return extras.filter((option) => `${stdout}${stderr}`.includes(option)).join(' ');
    };
    this.options ??= ask();
    this.options.catch(() => (this.options = undefined));
    return this.options;
  }
}
