import { createHash } from 'node:crypto';
import type { ByteRange } from '@keen-larder/core/bytes/ranges.ts';
import type { ProofWay } from '@keen-larder/core/phone/proof-ways.ts';
import { archivedEntries } from '../../formats/tar.ts';
import { batches } from './batches.ts';
import { commands, piecesScript } from './commands.ts';
import type { AdbShell } from './shell.ts';
import type { Digest } from '../phone-link.ts';
import { PhoneRefusal } from '../../failures.ts';

/** The better first. Before Android 8 toybox has no SHA-256 (from memory). */
const tools = ['sha256', 'md5'] as const;
const hexDigits = { sha256: 64, md5: 32 };
/** SHA-256 is computed here besides, of every image: a phone has to be so much faster at it than at MD5. */
const costHere = { sha256: 1.5, md5: 1 } as const;
/** Of a node, to see which tool is faster. */
const triedBytes = 16 << 20;
/** No line of such a tool is longer. */
const mostLine = 4096;

/** Which digests a phone's own tools compute, found out by having them digest what is known. */
export class AdbDigests {
  private found: Promise<ProofWay> | undefined;
  private quick: Promise<'sha256' | 'md5' | undefined> | undefined;
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

  /** The tool that is right and costs least time, tried on the beginning of a node. @returns undefined where there is none */
  quickWay(node: string): Promise<'sha256' | 'md5' | undefined> {
    this.quick ??= this.findQuick(node).catch((error: unknown) => {
      this.quick = undefined;
      throw error;
    });
    return this.quick;
  }

  /**
   * Digests of a range's pieces, as `PartitionAccess` has them. They end early where the phone tells something else: nothing depends on
   * them, and whoever asks takes what is missing for different.
   * @throws LinkFailure
   */
  async *pieces(
    by: 'sha256' | 'md5',
    node: string,
    range: ByteRange,
    pieceBytes: number,
    signal?: AbortSignal,
  ): AsyncGenerator<Digest> {
    const quiet = { bytes: pieceBytes };
    const input = piecesScript(by, node, range, pieceBytes);
    const rule = new RegExp(`^([0-9a-f]{${hexDigits[by]}}) `);
    let left = Math.ceil(range.bytes / pieceBytes);
    let rest = '';
    try {
      for await (const part of this.shell.stream(commands.digestPieces(node), { signal, quiet, input })) {
        const lines = (rest + Buffer.from(part).toString('latin1')).split('\n');
        rest = lines.pop()!;
        for (const line of lines) {
          const hex = rule.exec(line)?.[1];
          if (!hex || left-- === 0) return;
          yield { by, hex };
        }
        if (rest.length > mostLine) return;
      }
    } catch (error) {
      if (!(error instanceof PhoneRefusal)) throw error;
    }
  }

  private async findQuick(node: string): Promise<'sha256' | 'md5' | undefined> {
    if ((await this.way()) === 'second reading') return undefined;
    const range = { offset: 0, bytes: triedBytes };
    let best: { readonly by: 'sha256' | 'md5'; readonly cost: number } | undefined;
    for (const by of tools) {
      if (!(await this.isRight(by))) continue;
      // The first one would have to read the flash, the second finds it in memory.
      for (const isTimed of [false, true]) {
        const since = performance.now();
        let told = 0;
        for await (const piece of this.pieces(by, node, range, triedBytes)) told += piece.by === by ? 1 : 0;
        const ms = performance.now() - since;
        const cost = ms * costHere[by];
        if (isTimed && told === 1 && (!best || cost < best.cost)) best = { by, cost };
      }
    }
    return best?.by;
  }

  private async isRight(tool: 'sha256' | 'md5'): Promise<boolean> {
    const { stdout } = await this.shell.run(this.shell.rooted(commands.digestOfNothing(tool)));
    return stdout.startsWith(createHash(tool).digest('hex'));
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
    for (const tool of tools) if (await this.isRight(tool)) return (this.known = tool);
    return (this.known = 'second reading');
  }
}
