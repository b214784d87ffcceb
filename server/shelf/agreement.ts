import { randomUUID } from 'node:crypto';
import { readFile } from 'node:fs/promises';
import { join } from 'node:path';
import type { ShelfStatements } from '../database/shelves.ts';
import { writeDurably } from '../disk/durable.ts';

const fileName = 'generation.json';

/** What the shelf says of its generation. */
interface Generation {
  readonly generation: number;
  readonly mark: string;
}

/**
 * Whether shelf and catalogue are of one time. Both count generations, a new one with every start of the program, every run
 * that stores and everything that frees: a catalogue that was put back from a copy has a lower one, and must not free what
 * it does not know.
 */
export class Agreement {
  private readonly path: string;
  private shelf: Generation | undefined;

  constructor(
    folder: string,
    /** Of the shelf. */
    private readonly id: string,
    private readonly statements: ShelfStatements,
  ) {
    this.path = join(folder, fileName);
  }

  /**
   * Compares the two; a generation that was on its way when the program ended is taken to its end.
   * @param holdsSomething the shelf has packs or manifests
   * @param catalogueIsNew the catalogue knows no packs and no sets
   * @returns what is the matter, in a sentence; undefined where they agree
   */
  async doubt(holdsSomething: boolean, catalogueIsNew: boolean): Promise<string | undefined> {
    const found = await this.read();
    this.shelf = found === 'damaged' ? undefined : found;
    if (found === 'damaged') {
      return `The shelf’s ${fileName} is damaged.`;
    }
    const row = this.statements.row();
    if (!row) {
      if (this.shelf || (holdsSomething && catalogueIsNew))
        return 'The catalogue is new, and the shelf is not.';
      this.statements.save({ id: this.id, generation: 0, intent: null });
      return undefined;
    }
    const generation = this.shelf?.generation ?? 0;
    if (generation === row.generation) return undefined;
    if (generation === row.generation + 1 && this.shelf?.mark === row.intent) {
      this.statements.save({ ...row, generation, intent: null });
      return undefined;
    }
    return generation > row.generation
      ? 'The catalogue is older than the shelf: it was put back from a copy.'
      : 'The shelf is older than the catalogue: it was put back from a copy.';
  }

  /** Takes both on to the next generation, the catalogue knowing of it first. */
  async advance(): Promise<void> {
    const row = this.statements.row() ?? { id: this.id, generation: 0, intent: null };
    const next: Generation = { generation: row.generation + 1, mark: randomUUID() };
    this.statements.save({ ...row, intent: next.mark });
    await this.write(next);
    this.statements.save({ ...row, generation: next.generation, intent: null });
  }

  /** Declares the two to be of one time, whatever they were. */
  async settle(): Promise<void> {
    const generation = Math.max(this.shelf?.generation ?? 0, this.statements.row()?.generation ?? 0) + 1;
    await this.write({ generation, mark: randomUUID() });
    this.statements.save({ id: this.id, generation, intent: null });
  }

  private async write(next: Generation): Promise<void> {
    await writeDurably(this.path, `${JSON.stringify({ shelf: this.id, ...next })}\n`);
    this.shelf = next;
  }

  private async read(): Promise<Generation | 'damaged' | undefined> {
    let text: string;
    try {
      text = await readFile(this.path, 'utf8');
    } catch (error) {
      if ((error as NodeJS.ErrnoException).code === 'ENOENT') return undefined;
      throw error;
    }
    try {
      const { generation, mark } = JSON.parse(text) as Partial<Generation>;
      return Number.isInteger(generation) && mark ? { generation: generation!, mark } : 'damaged';
    } catch {
      return 'damaged';
    }
  }
}
