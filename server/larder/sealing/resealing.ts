import { setTimeout as pause } from 'node:timers/promises';
import type { SealView } from '@keen-larder/contract/larder/seal.ts';
import type { ChunkStatements } from '../../database/chunks.ts';
import type { ShelfStatements } from '../../database/shelves.ts';
import { Problem } from '../../failures.ts';
import { requireLong } from '../../sealing/passphrase.ts';
import { printedKey } from '../../sealing/recovery-key.ts';
import type { Cost } from '../../sealing/seal-key.ts';
import type { ManifestFolder } from '../../shelf/manifest-folder.ts';
import type { Shelf } from '../../shelf/shelf.ts';

interface ResealingParts {
  readonly shelf: Shelf;
  readonly chunks: Pick<ChunkStatements, 'unlikeBytes' | 'storedBytes'>;
  readonly identity: Pick<ShelfStatements, 'isAlike' | 'saveAlike'>;
  /** Does work beside which nothing is stored; see `Bin.alone`. */
  readonly alone: <T>(work: () => Promise<T>) => Promise<T>;
  readonly isBusy: () => boolean;
  /** The shelf is open again: what was put off is done. */
  readonly onUnlocked: () => Promise<void>;
  /** Copies of the catalogue on the shelf are made anew. */
  readonly renewSnapshots: () => Promise<void>;
  readonly onChange: () => void;
  /** What opening a new seal takes; left out for the usual. */
  readonly sealCost?: Cost;
}

/** Between two looks whether runs have ended. */
const busyMs = 2000;
/** After so many packs the interface hears of it. */
const toldEvery = 4;

/** Seals a shelf with a passphrase, and takes the seal off: what is stored already is written anew, pack by pack, beside other work. */
export class Resealing {
  private readonly ending = new AbortController();
  private running: Promise<void> | undefined;
  private fault: string | undefined;

  constructor(private readonly parts: ResealingParts) {}

  view(): SealView {
    const { shelf, chunks, identity } = this.parts;
    const { state, isWanted } = shelf.seal;
    const isAlike = state === 'locked' || (state === 'none' && !this.running) || identity.isAlike();
    return {
      state,
      isComingOff: state === 'open' && !isWanted,
      storedBytes: chunks.storedBytes(),
      leftBytes: isAlike ? 0 : chunks.unlikeBytes(state === 'open' && isWanted),
      fault: this.fault,
    };
  }

  /** @returns the recovery key, for print @throws Problem 409, 422 */
  async seal(passphrase: string): Promise<string> {
    const { shelf, identity, sealCost } = this.parts;
    await this.requireThere();
    if (shelf.seal.state !== 'none') throw new Problem(409, 'The larder is sealed already.');
    if (shelf.doubts.size > 0)
      throw new Problem(409, `It is not sealed: ${[...shelf.doubts].join(' ')} Rebuild the catalogue first.`);
    requireLong(passphrase);
    identity.saveAlike(false);
    const key = await shelf.seal.make(passphrase, sealCost);
    await shelf.describe();
    this.look();
    return printedKey(key);
  }

  /** Opens the seal, until the program ends. @throws SealFailure, Problem 409 */
  async unlock(secret: string): Promise<SealView> {
    const { shelf, onUnlocked, onChange } = this.parts;
    await shelf.isThere();
    if (shelf.seal.state === 'none') throw new Problem(409, 'The larder is not sealed.');
    await shelf.seal.unlock(secret);
    if (await shelf.isThere()) await onUnlocked();
    onChange();
    this.look();
    return this.view();
  }

  /** What is stored stays as it is. @throws SealFailure where the old one does not open it, Problem */
  async changePassphrase(before: string, passphrase: string): Promise<SealView> {
    await this.requireOpen();
    requireLong(passphrase);
    await this.parts.shelf.seal.changePassphrase(before, passphrase);
    return this.view();
  }

  /** Takes the seal off. @throws Problem 409 */
  async takeOff(): Promise<SealView> {
    await this.requireOpen();
    this.parts.identity.saveAlike(false);
    this.parts.shelf.seal.isWanted = false;
    this.look();
    return this.view();
  }

  /** Goes on with what is left, where anything is. */
  look(): void {
    const { seal } = this.parts.shelf;
    if (this.running || seal.state !== 'open' || this.parts.identity.isAlike()) return;
    this.running = this.run()
      .then(() => (this.fault = undefined))
      .catch((error: unknown) => {
        if (!this.ending.signal.aborted) this.fault = (error as Error).message;
      })
      .then(() => {
        this.running = undefined;
        if (!this.ending.signal.aborted) this.parts.onChange();
      });
    this.parts.onChange();
  }

  /** Resolves when nothing is under way any more. */
  async settled(): Promise<void> {
    await this.running;
  }

  async close(): Promise<void> {
    this.ending.abort();
    await this.running;
  }

  private async run(): Promise<void> {
    const { shelf, identity, alone, renewSnapshots, onChange } = this.parts;
    const isWanted = shelf.seal.isWanted;
    const step = async <T>(work: () => Promise<T>): Promise<T> => {
      while (this.parts.isBusy()) await pause(busyMs, undefined, { signal: this.ending.signal, ref: false });
      this.ending.signal.throwIfAborted();
      return alone(work);
    };
    // An older catalogue would look for packs that are gone.
    await step(() => shelf.advance());
    for (let count = 1; (await step(() => shelf.resealNext())) !== undefined; count++) {
      // Changed one's mind: it begins anew, in the other direction.
      if (shelf.seal.isWanted !== isWanted) return this.run();
      if (count % toldEvery === 0) onChange();
    }
    await step(async () => {
      await reseal(shelf.manifests, isWanted);
      await reseal(shelf.copies, isWanted);
      await reseal(shelf.records, isWanted);
      await shelf.freed.removeOlder(Infinity);
      if (!isWanted) {
        await shelf.seal.remove();
        await shelf.describe();
      }
      await renewSnapshots();
    });
    if (this.parts.chunks.unlikeBytes(isWanted) > 0)
      throw new Error(
        'Packs in which something is damaged stay as they are. Have them repaired, then seal again.',
      );
    identity.saveAlike(true);
  }

  private async requireThere(): Promise<void> {
    await this.parts.shelf.isThere();
    this.parts.shelf.requireThere();
  }

  private async requireOpen(): Promise<void> {
    await this.requireThere();
    if (this.parts.shelf.seal.state !== 'open') throw new Problem(409, 'The larder is not sealed.');
  }
}

async function reseal<T extends { readonly id: string }>(
  folder: ManifestFolder<T>,
  isWanted: boolean,
): Promise<void> {
  for (const id of await folder.ids())
    if ((await folder.isSealed(id)) !== isWanted) await folder.write(await folder.read(id));
}
