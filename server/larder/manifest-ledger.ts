import { isDeepStrictEqual } from 'node:util';
import { OneAtATime } from '../async/one-at-a-time.ts';
import type { ManifestFolder } from '../shelf/manifest-folder.ts';
import type { Shelf, ShelfFinding } from '../shelf/shelf.ts';

/** What the catalogue does for manifests of one kind. */
export interface LedgerRows<M> {
  ids(): string[];
  /** Enters one that the catalogue does not know. Returns it as it was entered: a label may have been taken. */
  enter(manifest: M): M;
  /** Takes over what may change: label, note, bin. */
  update(manifest: M): void;
  remove(id: string): void;
  /** Notes that a manifest is being changed, until `update`. */
  changing(id: string): void;
  changingIds(): string[];
  /** The manifest from the catalogue, for when its file was lost. @throws Problem 404 */
  rebuild(id: string): M;
  /** `the set “…”` */
  nameOf(manifest: M): string;
  /** What of it must be as the catalogue has it; a phone's nickname, say, may have changed since. */
  essenceOf(manifest: M): unknown;
}

/**
 * Keeps manifests on the shelf and their rows in the catalogue in step, also when the program ends in between: the manifest is
 * written first, and what it says counts.
 */
export class ManifestLedger<M extends { readonly id: string; readonly binnedAt?: string }> {
  private readonly changes = new OneAtATime();

  constructor(
    private readonly shelf: Shelf,
    private readonly folder: ManifestFolder<M>,
    private readonly rows: LedgerRows<M>,
  ) {}

  /**
   * Enters what only the shelf knows, ends changes that were broken off, and writes manifests anew that were lost. A manifest
   * that cannot be read keeps everything from being freed.
   */
  async reconcile(): Promise<ShelfFinding[]> {
    const findings: ShelfFinding[] = [];
    const known = new Set(this.rows.ids());
    const onShelf = new Set(await this.folder.ids());
    for (const id of onShelf) if (!known.has(id)) findings.push(await this.enterUnknown(id));
    for (const id of this.rows.changingIds()) this.rows.update(await this.read(id));
    // Where the catalogue is of another time, what it alone has may have been deleted since.
    if (this.shelf.doubts.size > 0) return findings;
    for (const id of known) if (!onShelf.has(id)) findings.push(await this.writeAnew(id, 'it was lost'));
    return findings;
  }

  /**
   * As `reconcile`, and holds every manifest against the catalogue.
   * @param isOlder the catalogue may be of an earlier time: what it alone has may have been deleted since, and goes into the bin
   * @param now the computer's clock
   */
  async rebuild(isOlder: boolean, now: number): Promise<ShelfFinding[]> {
    const findings: ShelfFinding[] = [];
    const known = new Set(this.rows.ids());
    const onShelf = new Set(await this.folder.ids());
    for (const id of onShelf) {
      if (!known.has(id)) {
        findings.push(await this.enterUnknown(id));
        continue;
      }
      const manifest = await this.folder.read(id).catch(() => undefined);
      if (!manifest) findings.push(await this.writeAnew(id, 'it could not be read'));
      else if (!this.isKnownAs(manifest)) findings.push(this.enterAnew(manifest));
    }
    for (const id of known) {
      if (onShelf.has(id)) continue;
      findings.push(await this.writeAnew(id, 'there was none on the shelf'));
      if (!isOlder) continue;
      const manifest = { ...this.rows.rebuild(id), binnedAt: new Date(now).toISOString() };
      await this.folder.write(manifest);
      this.rows.update(manifest);
      const text = `The shelf did not know ${this.rows.nameOf(manifest)}: it may have been deleted since. It lies in the bin.`;
      findings.push({ level: 'warning', text });
    }
    return findings;
  }

  /** Makes something finished known, so that the shelf alone can tell of it. Resolves to it as it was entered. */
  async add(manifest: M): Promise<M> {
    await this.folder.write(manifest);
    return this.enter(manifest);
  }

  /** Changes of one manifest follow each other. @param edit may throw, and nothing is changed */
  change(id: string, edit: (manifest: M) => M): Promise<void> {
    return this.changes.do(id, async () => {
      this.shelf.requireThere();
      const next = edit(await this.read(id));
      this.rows.changing(id);
      await this.folder.write(next);
      this.rows.update(next);
    });
  }

  /** @param mayGo asked when its turn has come; resolves to whether it is gone */
  remove(id: string, mayGo: () => boolean): Promise<boolean> {
    return this.changes.do(id, async () => {
      if (!mayGo()) return false;
      await this.folder.remove(id);
      this.rows.remove(id);
      return true;
    });
  }

  /** What is wrong with a manifest's file; undefined where it says what the catalogue does. */
  async fault(id: string): Promise<string | undefined> {
    try {
      return this.isKnownAs(await this.folder.read(id))
        ? undefined
        : 'it does not say what the catalogue does';
    } catch (error) {
      return (error as NodeJS.ErrnoException).code === 'ENOENT' ? 'it is missing' : (error as Error).message;
    }
  }

  /** Writes a manifest anew from the catalogue. */
  mend(id: string): Promise<void> {
    return this.changes.do(id, () => this.folder.write(this.rows.rebuild(id)));
  }

  private isKnownAs(manifest: M): boolean {
    const [found, known] = [manifest, this.rows.rebuild(manifest.id)].map(this.rows.essenceOf);
    return isDeepStrictEqual(found, known);
  }

  private async enterUnknown(id: string): Promise<ShelfFinding> {
    try {
      const entered = await this.enter(await this.folder.read(id));
      return { level: 'info', text: `Entered ${this.rows.nameOf(entered)} from its manifest.` };
    } catch (error) {
      const why = (error as Error).message;
      const text = `The manifest ${id} cannot be used: ${why}. Put the file back from a copy of the shelf, or remove it: what it alone holds is then freed.`;
      this.shelf.doubts.add(text);
      return { level: 'warning', text };
    }
  }

  private enterAnew(manifest: M): ShelfFinding {
    this.rows.remove(manifest.id);
    const entered = this.rows.enter(manifest);
    return { level: 'info', text: `Entered ${this.rows.nameOf(entered)} again, from its manifest.` };
  }

  private async writeAnew(id: string, why: string): Promise<ShelfFinding> {
    const manifest = this.rows.rebuild(id);
    await this.folder.write(manifest);
    return { level: 'warning', text: `Rewrote the manifest of ${this.rows.nameOf(manifest)}: ${why}.` };
  }

  private async enter(manifest: M): Promise<M> {
    const entered = this.rows.enter(manifest);
    if (entered !== manifest) await this.folder.write(entered);
    return entered;
  }

  /** From its file, or from the catalogue when that was lost. */
  private async read(id: string): Promise<M> {
    try {
      return await this.folder.read(id);
    } catch {
      return this.rows.rebuild(id);
    }
  }
}
