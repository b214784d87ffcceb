/** What somebody looks for, taken apart. */
export interface FindQuery {
  /** Lower-case, in the order they were typed; a hit has all of them. */
  readonly words: readonly string[];
  /** The beginning of a checksum, lower-case hexadecimal, where it may be one. */
  readonly digest: string | undefined;
}

/** A part of a path is told from a name by its strokes: `etc/hosts`. */
export interface PathQuery {
  /** What the name of the file itself holds. */
  readonly name: string;
  /** What the rest of the path holds, each. */
  readonly others: readonly string[];
}

export const longestQuery = 200;
/** So few digits name nothing. */
const fewestDigits = 6;
/** Letters of the runs by which names are looked up. */
const gram = 3;

export function findQuery(text: string): FindQuery {
  const words = text.toLowerCase().split(/\s+/).filter(Boolean);
  const [only] = words;
  const mayBeDigest =
    words.length === 1 && new RegExp(`^[0-9a-f]{${fewestDigits},64}$`).test(only!) && /\d/.test(only!);
  return { words, digest: mayBeDigest ? only : undefined };
}

export const holdsAll = (text: string, words: readonly string[]): boolean => {
  const folded = text.toLowerCase();
  return words.every((word) => folded.includes(word));
};

/**
 * Which word is looked for in the names of files and which in the folders above: of a path the last part, of several words the longest.
 * Undefined where nothing is left to look for.
 */
export function pathQuery({ words }: FindQuery): PathQuery | undefined {
  const parts = words.flatMap((word) => {
    const last = word.split('/').filter(Boolean).at(-1);
    return last === undefined ? [] : [{ word, last }];
  });
  const longest = [...parts].sort((a, b) => b.last.length - a.last.length)[0];
  if (!longest) return undefined;
  return { name: longest.last, others: words.filter((word) => word !== longest.last) };
}

/** Runs of three letters of a word; a name that has the word has all of them. Empty where it is shorter. */
export function gramsOf(word: string): string[] {
  const letters = [...word];
  const found = letters.slice(gram - 1).map((_, i) => letters.slice(i, i + gram).join(''));
  return [...new Set(found)];
}

/** How well a name is what was meant: 0 the name itself, 1 it begins so, 2 a word in it does, 3 it is somewhere in it. */
export function closeness(name: string, word: string): number {
  const folded = name.toLowerCase();
  if (folded === word) return 0;
  if (folded.startsWith(word)) return 1;
  const at = folded.indexOf(word);
  return at > 0 && /[^\p{L}\p{N}]/u.test(folded[at - 1]!) ? 2 : 3;
}

/** The first ones are those that were most likely meant. */
export const byCloseness =
  (word: string) =>
  (a: string, b: string): number =>
    closeness(a, word) - closeness(b, word) || a.length - b.length || (a < b ? -1 : a > b ? 1 : 0);
