import { LinkFailure, type FileAccess } from '../phone-link.ts';
import { quote, type AdbShell } from './shell.ts';

/** An argument of Linux has 128 KiB at most; this leaves room for quoting. */
const argumentBytes = 60_000;
const mountPoint = '/data';
const userDataNode = '/dev/block/by-name/userdata';

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
    yield* this.shell.stream(`tar -c -f - -C ${quote(folder)} ${options} ${excludes} .`, signal);
  }

  async text(path: string): Promise<string | undefined> {
    const { stdout, exitCode } = await this.shell.run(this.shell.rooted(`cat ${quote(path)}`));
    return exitCode === 0 ? stdout : undefined;
  }

  async digests(
    folder: string,
    paths: readonly string[],
    signal?: AbortSignal,
  ): Promise<Map<string, string>> {
    const found = new Map<string, string>();
    for (const batch of batches(paths)) {
      const script = `cd ${quote(folder)} && sha256sum ${batch.map(quote).join(' ')} 2>/dev/null; true`;
      let text = '';
      for await (const part of this.shell.stream(script, signal)) text += Buffer.from(part).toString();
      for (const match of text.matchAll(/^([0-9a-f]{64})[ *]{2}(.*)$/gm)) found.set(match[2]!, match[1]!);
    }
    return found;
  }

  private async isMounted(): Promise<boolean> {
    const mounts = await this.shell.must('cat /proc/mounts');
    return mounts.split('\n').some((line) => line.split(' ')[1] === mountPoint);
  }

  private tarOptions(): Promise<string> {
    const ask = async () => {
      const { stdout, stderr, exitCode } = await this.shell.run('tar --help');
      if (exitCode === 127)
        throw new LinkFailure('The phone has no tar, so it cannot make an archive of files.');
      return extras.filter((option) => `${stdout}${stderr}`.includes(option)).join(' ');
    };
    this.options ??= ask();
    this.options.catch(() => (this.options = undefined));
    return this.options;
  }
}

/** Paths in portions that fit one command. */
function* batches(paths: readonly string[]): Generator<string[]> {
  let batch: string[] = [];
  let bytes = 0;
  for (const path of paths) {
    if (bytes + path.length > argumentBytes && batch.length > 0) {
      yield batch;
      batch = [];
      bytes = 0;
    }
    batch.push(path);
    bytes += path.length + 3;
  }
  if (batch.length > 0) yield batch;
}
