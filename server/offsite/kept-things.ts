import type { CopyStatements } from '../database/copies.ts';
import type { SetStatements } from '../database/sets.ts';
import { DamagedImage } from '../failures.ts';
import { distinctDigests } from '../shelf/manifest.ts';
import type { Shelf } from '../shelf/shelf.ts';
import type { KeptThing } from './keeping-in-step.ts';

/** Everything that a larder keeps, as it goes off-site: the newest sets first. */
export function keptThings(shelf: Shelf, sets: SetStatements, copies: CopyStatements): KeptThing[] {
  const ofSets = sets.all().map(({ id, label }): KeptThing => ({
    kind: 'sets',
    id,
    name: `“${label}”`,
    stamp: () => shelf.manifests.stamp(id).catch(() => ''),
    manifest: () => textOf(shelf.manifests, id),
    chunks: () => distinctDigests(sets.heads(id).map(({ partition }) => sets.image(id, partition)!.chunks)),
  }));
  const ofCopies = (kind: 'app' | 'records') =>
    copies.all(kind).map(({ id, subject, nickname }): KeptThing => ({
      kind: kind === 'app' ? 'copies' : 'records',
      id,
      name: `The copy of ${subject} of ${nickname}`,
      stamp: () => (kind === 'app' ? shelf.copies : shelf.records).stamp(id).catch(() => ''),
      manifest: () => textOf(kind === 'app' ? shelf.copies : shelf.records, id),
      chunks: () => distinctDigests(copies.headsOf(id).map(({ name }) => copies.part(id, name)!.chunks)),
    }));
  return [...ofSets, ...ofCopies('app'), ...ofCopies('records')];
}

/** @throws DamagedImage where it cannot be read: it is written anew with the next start */
async function textOf(folder: { read(id: string): Promise<object> }, id: string): Promise<string> {
  try {
    return JSON.stringify(await folder.read(id));
  } catch (error) {
    throw new DamagedImage(`its manifest cannot be read (${(error as Error).message})`);
  }
}
