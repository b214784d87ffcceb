import { structuredPatch } from 'diff';
import type { TextComparison } from '@keen-larder/contract/comparing.ts';
import { compareProperties } from '@keen-larder/core/larder/comparing/lines.ts';
import { textOf } from '../inside/text-of.ts';

/** A file, and what is in it. */
interface OpenFile {
  readonly bytes: number;
  readonly content: AsyncIterable<Uint8Array>;
}

/** More is not compared line by line. */
const mostBytes = 4 << 20;
/** Texts that have next to nothing in common take long: whoever compares them is told that they differ. */
const mostMs = 2000;
const linesAround = 3;

/** Compares two texts line by line, and lists of properties name by name. */
export async function compareTexts(before: OpenFile, after: OpenFile): Promise<TextComparison> {
  const sizes = { beforeBytes: before.bytes, afterBytes: after.bytes };
  const isTooLong = Math.max(before.bytes, after.bytes) > mostBytes;
  const [a, b] = isTooLong ? [] : await Promise.all([textIn(before), textIn(after)]);
  if (a === undefined || b === undefined) return { ...sizes, hunks: undefined, properties: undefined };
  const patch = structuredPatch('', '', a, b, '', '', { context: linesAround, timeout: mostMs });
  const hunks = patch?.hunks.map(({ oldStart, newStart, lines }) => ({
    beforeLine: oldStart,
    afterLine: newStart,
    lines,
  }));
  return { ...sizes, hunks, properties: compareProperties(a, b) };
}

async function textIn({ content }: OpenFile): Promise<string | undefined> {
  const parts: Uint8Array[] = [];
  for await (const part of content) parts.push(part);
  return textOf(Buffer.concat(parts), false);
}
