import { lineMatches, linesOf, plainText } from '../bytes/lines.ts';

/** `key=value` lines of a build.prop file; comments and malformed lines are passed over. */
export function parseProperties(text: string): Record<string, string> {
  const found: Record<string, string> = {};
  for (const line of linesOf(text)) {
    const at = line.indexOf('=');
    const key = line.slice(0, at < 0 ? 0 : at).trim();
    if (key !== '' && !key.startsWith('#')) found[key] = plainText(line.slice(at + 1));
  }
  return found;
}

/** `[key]: [value]` lines as `getprop` prints them. */
export function parseGetprop(text: string): Record<string, string> {
  const found: Record<string, string> = {};
  for (const [, key, value] of lineMatches(text, /^\[([^\]]+)\]: \[(.*)\]$/)) found[key!] = plainText(value!);
  return found;
}
