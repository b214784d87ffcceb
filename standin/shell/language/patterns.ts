/** A part of a word after expansion. */
export interface Piece {
  readonly text: string;
  /** `*`, `?` and `[…]` in it stand for other characters. */
  readonly isPattern: boolean;
}

const escaped = (text: string): string => text.replace(/[.*+?^${}()|[\]\\/]/g, '\\$&');

/** A pattern of the shell (POSIX, Shell Command Language 2.13) as a regular expression. @param star what `*` stands for */
export function patternOf(pieces: readonly Piece[], star = '[^]*'): string {
  return pieces
    .map(({ text, isPattern }) => {
      if (!isPattern) return escaped(text);
      return text.replace(
        /\[([!^]?)(\]?[^\]]*)\]|[^]/g,
        (each: string, not: string | undefined, within: string) => {
          if (within !== undefined && each.length > 1)
            return `[${not ? '^' : ''}${within.replace(/[\\\]^]/g, '\\$&')}]`;
          if (each === '*') return star;
          return each === '?' ? '[^]' : escaped(each);
        },
      );
    })
    .join('');
}

export const hasPattern = (pieces: readonly Piece[]): boolean =>
  pieces.some(({ text, isPattern }) => isPattern && /[*?[]/.test(text));

/** Takes the shortest or longest part off that a pattern matches. */
export function without(value: string, pieces: readonly Piece[], operator: '#' | '##' | '%' | '%%'): string {
  const whole = new RegExp(`^${patternOf(pieces)}$`, 'u');
  const lengths = Array.from({ length: value.length + 1 }, (_, i) => i);
  if (operator.length === 2) lengths.reverse();
  for (const length of lengths) {
    const [part, rest] =
      operator[0] === '#'
        ? [value.slice(0, length), value.slice(length)]
        : [value.slice(value.length - length), value.slice(0, value.length - length)];
    if (whole.test(part)) return rest;
  }
  return value;
}
