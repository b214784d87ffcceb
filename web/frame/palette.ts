/** Something that one gets to, or does, by typing. */
export interface PaletteEntry {
  /** Its own among all. */
  readonly id: string;
  readonly title: string;
  /** What it is: a page, a phone, a set. */
  readonly kind: string;
  /** Besides the title, by what it is found. */
  readonly also?: string;
  readonly open: () => void;
}

/** So many are shown. */
const most = 12;

const folded = (text: string) => text.normalize('NFD').replace(/\p{M}/gu, '').toLowerCase();

/** How well a word fits: smaller is better; undefined where it does not. */
function rankOf(word: string, title: string, rest: string): number | undefined {
  const at = title.indexOf(word);
  if (at === 0) return 0;
  if (at > 0) return /[\p{L}\p{N}]/u.test(title[at - 1]!) ? 2 : 1;
  return rest.includes(word) ? 3 : undefined;
}

/** Entries that have every word of what was typed, those that begin with it first; without any word, the first ones. */
export function paletteHits(entries: readonly PaletteEntry[], typed: string): PaletteEntry[] {
  const words = folded(typed).split(/\s+/).filter(Boolean);
  const ranked = entries.flatMap((entry) => {
    const [title, rest] = [folded(entry.title), folded(`${entry.kind} ${entry.also ?? ''}`)];
    let sum = 0;
    for (const word of words) {
      const rank = rankOf(word, title, rest);
      if (rank === undefined) return [];
      sum += rank;
    }
    return [{ entry, sum }];
  });
  return ranked
    .sort((a, b) => a.sum - b.sum)
    .slice(0, most)
    .map(({ entry }) => entry);
}
