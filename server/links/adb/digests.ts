import { createHash } from 'node:crypto';
import type { ProofWay } from '@keen-larder/core/phone/proof-ways.ts';
import { archivedEntries } from '../../formats/tar.ts';
import { batches } from './batches.ts';
import { commands } from './commands.ts';
import type { AdbShell } from './shell.ts';

/** The better first. Before Android 8 toybox has no SHA-256 (from memory). */
const tools = ['sha256', 'md5'] as const;

/** Which digests a phone's own tools compute, found out by having them digest what is known. */
export class AdbDigests {
  private found: Promise<ProofWay> | undefined;
  /** Once it was found out. */
  known: ProofWay | undefined;

  constructor(private readonly shell: AdbShell) {}

  /** @throws LinkFailure */
  way(): Promise<ProofWay> {
    this.found ??= this.find().catch((error: unknown) => {
      this.found = undefined;
      throw error;
    });
    return this.found;
  }

  /** Of files, which are compared by SHA-256 alone. @throws LinkFailure */
  async wayOfFiles(): Promise<ProofWay> {
    return (await this.way()) === 'sha256' ? 'sha256' : 'second reading';
  }

  /**
   * SHA-256 of files by their paths within a folder, as they are given; those that are gone are missing. Without a tool
   * for that they are read once more.
   * @param bytes how many they are together, for how long is waited
   */
  async files(
    folder: string,
    paths: readonly string[],
    bytes: number,
    signal?: AbortSignal,
  ): Promise<Map<string, string>> {
    const has = (await this.wayOfFiles()) === 'sha256';
    const found = new Map<string, string>();
    for (const batch of batches(paths)) {
      if (!has) await this.readFiles(folder, batch, found, signal);
      else {
        const text = await this.shell.text(commands.digestFiles(folder, batch), { signal, quiet: { bytes } });
        for (const match of text.matchAll(/^([0-9a-f]{64})[ *]{2}(.*)$/gm)) found.set(match[2]!, match[1]!);
      }
    }
    return found;
  }

  private async readFiles(
    folder: string,
    paths: readonly string[],
    found: Map<string, string>,
    signal?: AbortSignal,
  ): Promise<void> {
    const packed = this.shell.stream(commands.archive(folder, '', paths), {
      signal,
      mayComplain: () => undefined,
    });
    const entries = await archivedEntries(packed);
    const inTar = (path: string) => path.replace(/^\/+/, '');
    for (const path of paths) {
      const entry = entries.get(path) ?? entries.get(inTar(path));
      if (entry?.sha256) found.set(path, entry.sha256);
    }
  }

  private async find(): Promise<ProofWay> {
    for (const tool of tools) {
      const { stdout } = await this.shell.run(this.shell.rooted(commands.digestOfNothing(tool)));
      if (stdout.startsWith(createHash(tool).digest('hex'))) return (this.known = tool);
    }
    return (this.known = 'second reading');
  }
}
