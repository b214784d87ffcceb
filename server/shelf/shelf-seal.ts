import { readFile } from 'node:fs/promises';
import { join } from 'node:path';
import { removeDurably, writeDurably } from '../disk/durable.ts';
import { SealFailure } from '../failures.ts';
import { isSealed, openBytes, sealBytes } from '../sealing/sealed-object.ts';
import {
  changePassphrase,
  makeSeal,
  openSeal,
  parseSeal,
  type Cost,
  type OpenSeal,
  type Seal,
} from '../sealing/seal-key.ts';
import { codecs, type PackedChunk } from './packs/pack-format.ts';
import { openRecord, sealRecord } from './packs/sealed-record.ts';

/** A second copy of the seal: without it everything would hang on one small file. */
export interface SealCopy {
  sealText(): string | undefined;
  saveSeal(text: string | undefined): void;
}

export const lockedText = 'The larder is sealed. Unlock it with its passphrase.';

const textOf = (seal: Seal) => `${JSON.stringify(seal, null, 2)}\n`;

/** The seal of a shelf: whether it has one, and whether that is open. */
export class ShelfSeal {
  private seal: Seal | undefined;
  private opened: OpenSeal | undefined;
  /** What is written is sealed; false while a seal is on its way off. */
  isWanted = true;
  private readonly path: string;

  constructor(
    folder: string,
    private readonly copy: SealCopy,
    private readonly isReadOnly: boolean,
  ) {
    this.path = join(folder, 'seal.json');
  }

  get state(): 'none' | 'locked' | 'open' {
    return !this.seal ? 'none' : this.opened ? 'open' : 'locked';
  }

  /** 32 bytes; undefined where there is no seal, or it is locked. */
  get master(): Buffer | undefined {
    return this.opened?.master;
  }

  /** By which what is stored from now on is sealed; 32 bytes. */
  get masterToSeal(): Buffer | undefined {
    return this.isWanted ? this.opened?.master : undefined;
  }

  private get toSealWith(): OpenSeal | undefined {
    return this.isWanted ? this.opened : undefined;
  }

  /** A chunk as the shelf stores it now: sealed, or not. @throws Error where it is sealed and cannot be opened */
  asStored(chunk: PackedChunk): PackedChunk {
    const key = this.masterToSeal;
    const isSealed = chunk.codec === codecs.sealed;
    if (isSealed === (key !== undefined)) return chunk;
    if (key) return sealRecord(key, chunk);
    const plain = this.asPlain(chunk);
    if (!plain) throw new Error('it is not as it was sealed');
    return plain;
  }

  /** A chunk as it was before it was sealed. @returns undefined where it is not as it was sealed */
  asPlain(chunk: PackedChunk): PackedChunk | undefined {
    if (chunk.codec !== codecs.sealed) return chunk;
    return this.master && openRecord(this.master, chunk.stored);
  }

  /** What is written into a file of the shelf. @param name within the shelf */
  sealed(name: string, plain: Uint8Array): Uint8Array {
    return this.toSealWith ? sealBytes(this.toSealWith, name, plain) : plain;
  }

  /** What is in a file of the shelf, sealed or not. @throws SealFailure where it cannot be opened */
  async plain(name: string, bytes: Buffer): Promise<Buffer> {
    if (!isSealed(bytes)) return bytes;
    if (!this.opened) throw new SealFailure('secret', `${name} is sealed, and the larder is locked.`);
    return openBytes(this.opened, name, bytes);
  }

  /** Looks whether the shelf has one. A lost or damaged one is put there anew from its copy. @throws SealFailure */
  async look(): Promise<void> {
    if (this.opened) return;
    const text = await readFile(this.path, 'utf8').catch((error: NodeJS.ErrnoException) => {
      if (error.code === 'ENOENT') return undefined;
      throw error;
    });
    const copy = this.copy.sealText();
    try {
      this.seal = text === undefined ? undefined : parseSeal(text);
      if (text === undefined && copy !== undefined)
        throw new SealFailure('format', 'The seal of the shelf is lost.');
      if (text !== undefined && text !== copy && !this.isReadOnly) this.copy.saveSeal(text);
    } catch (error) {
      if (copy === undefined) throw error;
      this.seal = parseSeal(copy);
      if (!this.isReadOnly) await writeDurably(this.path, copy);
    }
  }

  /** Why the shelf cannot be used for its seal, and what to do; undefined where it can. */
  async whyClosed(): Promise<string | undefined> {
    try {
      await this.look();
    } catch (error) {
      if (error instanceof SealFailure)
        return `${error.message} Put seal.json back from a copy of the shelf.`;
      throw error;
    }
    return this.state === 'locked' ? lockedText : undefined;
  }

  /** @param secret a passphrase, or a recovery key as it was printed @throws SealFailure */
  async unlock(secret: string): Promise<void> {
    if (this.seal && !this.opened) this.opened = await openSeal(this.seal, secret);
  }

  /**
   * Puts a new seal there; what is stored already stays as it is. For good before anything is sealed by it.
   * @returns the recovery key, 16 bytes
   */
  async make(passphrase: string, cost?: Cost): Promise<Buffer> {
    const { recoveryKey, ...open } = await makeSeal(passphrase, cost);
    await this.write(open.seal);
    [this.seal, this.opened, this.isWanted] = [open.seal, open, true];
    return recoveryKey;
  }

  /** @throws SealFailure where the old one does not open it */
  async changePassphrase(before: string, passphrase: string): Promise<void> {
    const open = await openSeal(this.seal!, before);
    const seal = await changePassphrase(open, passphrase);
    await this.write(seal);
    [this.seal, this.opened] = [seal, { seal, master: open.master }];
  }

  /** To be called when nothing is sealed by it any more. */
  async remove(): Promise<void> {
    this.copy.saveSeal(undefined);
    await removeDurably(this.path);
    [this.seal, this.opened, this.isWanted] = [undefined, undefined, true];
  }

  private async write(seal: Seal): Promise<void> {
    const text = textOf(seal);
    this.copy.saveSeal(text);
    await writeDurably(this.path, text);
  }
}

/** The seal of a shelf whose catalogue is not there. @returns undefined where it has none, or no secret is given @throws SealFailure */
export async function openedSeal(folder: string, secret: string | undefined): Promise<ShelfSeal | undefined> {
  if (secret === undefined) return undefined;
  const seal = new ShelfSeal(folder, { sealText: () => undefined, saveSeal: () => undefined }, true);
  await seal.look();
  await seal.unlock(secret);
  return seal.state === 'open' ? seal : undefined;
}

/** What opens a sealed shelf, where the environment has it. */
export function sealSecretOf(env: Readonly<Record<string, string | undefined>>): {
  readonly sealSecret?: string;
} {
  const secret = env['KEEN_LARDER_SEAL_PASSPHRASE'];
  return secret === undefined ? {} : { sealSecret: secret };
}
