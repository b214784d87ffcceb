import { execFileSync } from 'node:child_process';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { beforeFirst, entryIn, goesOn, lineDigest, lineOf, verifyRecord, type Entry } from './record.ts';

const entry = (n: number, what = `did ${n}`): Entry => ({
  ...{ n, at: Date.UTC(2026, 4, n), who: 'Réné “the hut”', what },
  on: { phone: n, id: 'a-b' },
});

function recordOf(entries: readonly Entry[]): string[] {
  const lines: string[] = [];
  for (const each of entries) {
    const last = lines.at(-1);
    lines.push(lineOf(each, last === undefined ? beforeFirst : lineDigest(last)));
  }
  return lines;
}

const five = () => recordOf([1, 2, 3, 4, 5].map((n) => entry(n)));

describe('the record', () => {
  it('has what was written, and follows from line to line', () => {
    const lines = five();
    expect(entryIn(lines[2]!)).toEqual({ ...entry(3), before: lineDigest(lines[1]!) });
    expect(verifyRecord(lines)).toEqual({ lines: 5, head: lineDigest(lines[4]!), brokenAt: undefined });
    expect(verifyRecord([])).toEqual({ lines: 0, head: beforeFirst, brokenAt: undefined });
  });

  it('shows each changed, removed, added or exchanged line', () => {
    const lines = five();
    const changed = lines.with(1, lines[1]!.replace('did 2', 'did 9'));
    expect(verifyRecord(changed).brokenAt).toBe(3);
    expect(verifyRecord(lines.toSpliced(1, 1)).brokenAt).toBe(2);
    expect(verifyRecord(lines.slice(1)).brokenAt).toBe(1);
    expect(verifyRecord(lines.toSpliced(2, 0, lineOf(entry(9), lineDigest(lines[1]!)))).brokenAt).toBe(3);
    expect(verifyRecord([lines[0]!, lines[2]!, lines[1]!, lines[3]!, lines[4]!]).brokenAt).toBe(2);
    expect(verifyRecord(lines.with(3, 'no JSON')).brokenAt).toBe(4);
  });

  it('shows any single changed character but in the last line, which the copy elsewhere shows', () => {
    const lines = five();
    fc.assert(
      fc.property(fc.nat(4), fc.nat(), fc.constantFrom('0', '9', 'x', ' ', '"'), (at, place, letter) => {
        const line = lines[at]!;
        const i = place % line.length;
        fc.pre(line[i] !== letter);
        const changed = lines.with(at, line.slice(0, i) + letter + line.slice(i + 1));
        if (at < 4) expect(verifyRecord(changed).brokenAt).toBeDefined();
        expect(verifyRecord(changed).head !== verifyRecord(lines).head || at < 4).toBe(true);
        expect(goesOn(changed, lines)).toBe(false);
      }),
    );
  });

  it('goes on where an earlier copy ended, or does not', () => {
    const lines = five();
    expect(goesOn(lines, lines.slice(0, 3))).toBe(true);
    expect(goesOn(lines.slice(0, 3), lines)).toBe(false);
    expect(goesOn(recordOf([1, 2, 3].map((n) => entry(n, 'else'))), lines.slice(0, 2))).toBe(false);
  });

  it('is followed by tools of others: sha256sum (GNU coreutils) over each line names it in the next', () => {
    const lines = five();
    lines.forEach((line, i) => {
      const [sum] = execFileSync('sha256sum', { input: line, encoding: 'utf8' }).split(' ');
      const next = lines[i + 1];
      expect(sum).toBe(
        next === undefined ? verifyRecord(lines).head : (JSON.parse(next) as { before: string }).before,
      );
    });
  });
});
