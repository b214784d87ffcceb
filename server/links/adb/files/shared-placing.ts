import { posix } from 'node:path';
import { PhoneRefusal } from '../../../failures.ts';
import type { SharedPlacing } from '../../phone-link.ts';
import { batches } from '../batches.ts';
import { commands } from '../commands.ts';
import type { AdbDigests } from '../digests.ts';
import type { AdbShell } from '../shell.ts';

/** Names that go into one command. */
const namesAtOnce = 100;
/** What waits to be moved into place. */
const stagingName = '.keen-larder-next';

/** Files put into shared storage as the phone's own shell may, with root or without. */
export class AdbSharedPlacing implements SharedPlacing {
  readonly folder = '/sdcard';
  readonly staging = `${this.folder}/${stagingName}`;

  /** @param shell without root: the phone's own view of shared storage is the shell's */
  constructor(
    private readonly shell: AdbShell,
    private readonly computed: AdbDigests,
  ) {}

  async sizes(name: string, signal?: AbortSignal): Promise<Map<string, number>> {
    const script =
      name === ''
        ? commands.datedFilesIn(`${this.folder}/`)
        : commands.datedFiles([`${this.folder}/${name}/`]);
    const text = await this.shell.text(script, { signal, mostBytes: 256 << 20 });
    const found = new Map<string, number>();
    for (const [, bytes, path] of text.matchAll(/^(\d+) \d+ (\/.*)$/gm))
      found.set(posix.relative(this.folder, path!), Number(bytes));
    return found;
  }

  digests(
    folder: string,
    paths: readonly string[],
    bytes: number,
    signal?: AbortSignal,
  ): Promise<Map<string, string>> {
    return this.computed.files(folder, paths, bytes, signal);
  }

  async stage(stream: AsyncIterable<Uint8Array>, signal?: AbortSignal): Promise<string | undefined> {
    await this.clear();
    await this.shell.must(commands.makeFolders([this.staging]));
    try {
      await this.shell.feed(commands.unpackPlainly(this.staging), stream, { signal });
      return undefined;
    } catch (error) {
      // It may only complain of owners and modes, which are not to be had there: what came is looked at.
      if (error instanceof PhoneRefusal) return error.message;
      throw error;
    }
  }

  async place(paths: readonly string[], signal?: AbortSignal): Promise<void> {
    const byFolder = new Map<string, string[]>();
    for (const path of paths) {
      const folder = posix.dirname(path);
      const within = byFolder.get(folder);
      if (within) within.push(path);
      else byFolder.set(folder, [path]);
    }
    const folders = [...byFolder.keys()].filter((each) => each !== '.');
    for (const batch of batches(folders.map((each) => posix.join(this.folder, each))))
      await this.shell.must(commands.makeFolders(batch), { signal });
    for (const [folder, within] of byFolder)
      for (let at = 0; at < within.length; at += namesAtOnce) {
        const some = within.slice(at, at + namesAtOnce).map((path) => posix.join(this.staging, path));
        await this.shell.must(commands.moveOver(some, `${posix.join(this.folder, folder)}/`), { signal });
      }
  }

  async clear(): Promise<void> {
    await this.shell.must(commands.removeAll([this.staging]));
  }
}
