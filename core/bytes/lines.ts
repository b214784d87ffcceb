/** A line that is longer is cut: no tool of a phone writes such lines, and no rule may take long over one. */
const mostChars = 4096;

/**
 * The lines of what a phone or a file says, without their ends, each cut to 4096 characters. One pass over the text, whatever
 * it is.
 */
export function* linesOf(text: string): Generator<string> {
  for (let at = 0; at <= text.length;) {
    const newline = text.indexOf('\n', at);
    const end = newline < 0 ? text.length : newline;
    const isReturn = end > at && text.charCodeAt(end - 1) === 13;
    yield text.slice(at, Math.min(isReturn ? end - 1 : end, at + mostChars));
    at = end + 1;
  }
}

/** A match of a rule for whole lines, for each line that it fits. */
export function* lineMatches(text: string, rule: RegExp): Generator<RegExpExecArray> {
  for (const line of linesOf(text)) {
    const match = rule.exec(line);
    if (match) yield match;
  }
}

/** Control characters, and marks that turn the direction of what is around them. */
const unprintable = /[\p{Cc}\p{Cf}\p{Zl}\p{Zp}]+/gu;

/** What a phone says of itself, for showing: on one line, without control characters, cut to so many characters. */
export const plainText = (text: string, most = 200): string =>
  text
    .slice(0, most * 4)
    .replace(unprintable, ' ')
    .trim()
    .slice(0, most);
