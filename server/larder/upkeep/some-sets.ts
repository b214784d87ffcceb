import type { SetChange } from '@keen-larder/contract/requests/larder/sets.ts';
import type { SomeSetsChanged } from '@keen-larder/contract/sets.ts';
import { Problem } from '../../failures.ts';
import type { Larder } from '../larder.ts';

/** Changes several sets, one after the other; what is refused of one does not keep the others. */
export async function changeSome(
  larder: Pick<Larder, 'change' | 'detail'>,
  ids: readonly string[],
  change: Pick<SetChange, 'binned' | 'pinned'>,
): Promise<SomeSetsChanged> {
  const changed: string[] = [];
  const refused: { label: string; why: string }[] = [];
  for (const id of ids) {
    try {
      await larder.change(id, change);
      changed.push(id);
    } catch (error) {
      if (!(error instanceof Problem)) throw error;
      refused.push({ label: labelOf(larder, id), why: error.message });
    }
  }
  return { changed, refused };
}

/** Somebody else may have removed it. */
function labelOf(larder: Pick<Larder, 'detail'>, id: string): string {
  try {
    return larder.detail(id).label;
  } catch {
    return id;
  }
}
