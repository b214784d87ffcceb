import { stagingFolders } from '@keen-larder/core/apps/copies.ts';
import type { FolderExchange, SomeNames } from '../../phone-link.ts';
import { batches } from '../batches.ts';
import { mediaOwner, type AdbFiles } from './files.ts';
import { commands } from '../commands.ts';
import type { AdbShell } from '../shell.ts';
import { PhoneRefusal } from '../../../failures.ts';

const sharedStorage = '/data/media/';

/** What is not of the exchange of an app's data. */
const isOwn = (name: string) => !Object.values<string>(stagingFolders).includes(name);
const at = (folder: string, name: keyof typeof stagingFolders) => `${folder}/${stagingFolders[name]}`;

/** Exchanges what is in folders of user data through the phone's own tools, as root, in a running system or in recovery. */
export class AdbFolderExchange implements FolderExchange {
  constructor(
    private readonly shell: AdbShell,
    private readonly files: AdbFiles,
  ) {}

  async hasFolder(folder: string): Promise<boolean> {
    const { exitCode } = await this.shell.run(this.shell.rooted(commands.names(folder)));
    return exitCode === 0;
  }

  async look(
    folders: readonly string[],
    signal?: AbortSignal,
  ): Promise<Map<string, { readonly isBegun: boolean }>> {
    const names = new Set<string>();
    for (const batch of batches(folders))
      for (const name of (await this.shell.text(commands.standing(batch), { signal })).split('\n'))
        names.add(name);
    const isBegun = (folder: string) =>
      Object.values(stagingFolders).some((name) => names.has(`${folder}/${name}`));
    return new Map(
      folders.filter((folder) => names.has(folder)).map((folder) => [folder, { isBegun: isBegun(folder) }]),
    );
  }

  archive(
    folder: string,
    without: readonly string[],
    signal?: AbortSignal,
    remark?: (text: string) => void,
  ): AsyncIterable<Uint8Array> {
    return this.files.archive(folder, without, signal, remark);
  }

  async stage(
    folder: string,
    stream: AsyncIterable<Uint8Array>,
    signal?: AbortSignal,
    owner?: number,
  ): Promise<string> {
    if (!(await this.hasFolder(folder))) {
      if (owner !== undefined) await this.shell.must(commands.makePrivateFolder(owner, folder));
      else if (folder.startsWith(sharedStorage))
        await this.shell.must(commands.makeFoldersOf(mediaOwner, [folder]));
      else throw new PhoneRefusal(`There is no ${folder} on the phone.`);
    }
    const next = at(folder, 'next');
    await this.shell.must(commands.makeFolders([next]));
    await this.files.unpack(next, stream, signal);
    return next;
  }

  nextOf(folder: string): string {
    return at(folder, 'next');
  }

  async swap(folder: string, some?: SomeNames): Promise<void> {
    const before = at(folder, 'before');
    await this.shell.must(commands.makeFolders([before]));
    if (some)
      await this.move(
        some.going.map((name) => `${folder}/${name}`),
        before,
      );
    else await this.moveAll(folder, before);
    const coming = some?.coming.map((name) => `${at(folder, 'coming')}/${name}`);
    for (const batch of batches(coming ?? [at(folder, 'aside')]))
      await this.shell.must(commands.makeFolders(batch));
    if (!some || some.coming.length > 0) await this.moveAll(at(folder, 'next'), folder);
  }

  async settle(folder: string): Promise<void> {
    await this.shell.must(commands.makeFolders([at(folder, 'settled')]));
    await this.clearAway(folder);
  }

  async rollBack(folder: string): Promise<boolean> {
    if (!(await this.hasFolder(folder))) return false;
    const names = await this.namesIn(folder);
    const has = (name: keyof typeof stagingFolders) => names.includes(stagingFolders[name]);
    if (!names.some((name) => !isOwn(name))) return false;
    const isUndone = has('before') && !has('settled');
    if (isUndone) {
      // Once all that was to go had gone aside, what lies there under the names that come is new. What says so goes before anything
      // comes back: whoever is broken off then and begins again must not take that for new.
      if (has('aside')) await this.removeAll(folder, names.filter(isOwn));
      if (has('coming')) await this.removeAll(folder, await this.namesIn(at(folder, 'coming')));
      await this.shell.must(commands.removeAll([at(folder, 'aside'), at(folder, 'coming')]));
      await this.moveAll(at(folder, 'before'), folder);
    }
    // Nothing need be written where there may be no room.
    await this.clearAway(folder);
    return isUndone;
  }

  private async clearAway(folder: string): Promise<void> {
    const rests = (['before', 'next', 'aside', 'coming'] as const).map((name) => at(folder, name));
    await this.shell.must(commands.removeAll(rests));
    await this.shell.must(commands.removeAll([at(folder, 'settled')]));
  }

  private async moveAll(from: string, into: string): Promise<void> {
    const names = (await this.namesIn(from)).filter(isOwn);
    await this.move(
      names.map((name) => `${from}/${name}`),
      into,
    );
  }

  private async move(paths: readonly string[], into: string): Promise<void> {
    for (const batch of batches(paths)) await this.shell.must(commands.move(batch, into));
  }

  private async removeAll(folder: string, names: readonly string[]): Promise<void> {
    for (const batch of batches(names.map((name) => `${folder}/${name}`)))
      await this.shell.must(commands.removeAll(batch));
  }

  private async namesIn(folder: string): Promise<string[]> {
    return (await this.shell.must(commands.names(folder))).split('\n').filter(Boolean);
  }
}
