import type { ProofWay } from '@keen-larder/core/phone/proof-ways.ts';
import { rewrittenTar } from '../../../formats/tar-rewrite.ts';
import type { SharedFiles } from '../../phone-link.ts';
import { AdbArchives } from './archives.ts';
import { commands } from '../commands.ts';
import type { AdbDigests } from '../digests.ts';
import { mediaOwner } from './files.ts';
import type { AdbShell } from '../shell.ts';

/** As files and folders of shared storage are, behind the view that apps have of it (AOSP, fs_config and sdcardfs). */
const modes = { file: 0o664, folder: 0o775 } as const;

/** Shared storage as a system without root shows it to its shell. */
export class AdbSharedFiles implements SharedFiles {
  private readonly archives: AdbArchives;

  constructor(
    private readonly shell: AdbShell,
    private readonly digestsOf: AdbDigests,
    readonly folder: string,
  ) {
    this.archives = new AdbArchives(shell, () => Promise.resolve(new Map<string, never>()));
  }

  async ready(): Promise<boolean> {
    return (await this.shell.run(commands.names(`${this.folder}/`))).exitCode === 0;
  }

  async bytes(): Promise<number | undefined> {
    const { stdout } = await this.shell.run(commands.kibibytes(`${this.folder}/`), { quiet: { ms: 60_000 } });
    const kibibytes = /^(\d+)\s/m.exec(stdout)?.[1];
    return kibibytes === undefined ? undefined : Number(kibibytes) * 1024;
  }

  /** With the owners that the files have on the flash: each app is shown others. */
  async *archive(
    folder: string,
    leaveOut: readonly string[],
    signal?: AbortSignal,
    remark: (text: string) => void = () => undefined,
  ): AsyncGenerator<Uint8Array> {
    const remarks = (text: string) => {
      if (!/SELinux labels/.test(text)) remark(text);
    };
    const packed = this.archives.of(folder, ['.'], leaveOut, signal, remarks);
    yield* rewrittenTar(packed, ({ label: _, ...entry }) => ({
      ...entry,
      path: entry.path.replace(/^\.\/|\/$/g, '') || '.',
      uid: mediaOwner,
      gid: mediaOwner,
      mode: entry.type === 'directory' ? modes.folder : modes.file,
    }));
  }

  digests(
    folder: string,
    paths: readonly string[],
    bytes: number,
    signal?: AbortSignal,
  ): Promise<Map<string, string>> {
    return this.digestsOf.files(folder, paths, bytes, signal);
  }

  proofWay(): Promise<ProofWay> {
    return this.digestsOf.wayOfFiles();
  }
}
