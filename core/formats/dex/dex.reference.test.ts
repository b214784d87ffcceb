// Compiled code: ours against Debian's `dexdump` (AOSP), which checks checksum, signature and map before it lists.
import { execFileSync } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, describe, expect, it } from 'vitest';
import { FormatError } from '../../bytes/format-error.ts';
import { definedClasses, writeDex } from './dex.ts';

const folder = mkdtempSync(join(tmpdir(), 'keen-larder-dex-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));

const names = [
  'example.marshlog.Main',
  'example.marshlog.Main$Parts',
  'example.gullcount.beacon.Sender',
  'a.b',
  `example.${'long'.repeat(60)}.Name`,
];

/** `Class descriptor  : 'Lexample/marshlog/Main;'` */
function listed(bytes: Uint8Array): string[] {
  const path = join(folder, 'classes.dex');
  writeFileSync(path, bytes);
  const text = execFileSync('dexdump', [path], { encoding: 'utf8' });
  return [...text.matchAll(/Class descriptor\s*: 'L(.*);'/g)].map(([, name]) => name!.replaceAll('/', '.'));
}

describe('compiled code', () => {
  it('is accepted by dexdump, which finds the same classes', () => {
    const bytes = writeDex(names);
    expect(listed(bytes)).toHaveLength(names.length);
    expect(new Set(listed(bytes))).toEqual(new Set(names));
    expect(definedClasses(bytes)).toEqual(listed(bytes));
  });

  it('may be without any class', () => {
    expect(listed(writeDex([]))).toEqual([]);
    expect(definedClasses(writeDex([]))).toEqual([]);
  });

  it('that is cut off or changed is an error or a list, whatever byte it is', () => {
    const whole = writeDex(names);
    for (let at = 0; at < whole.length; at++) {
      for (const damaged of [whole.slice(0, at), withByte(whole, at, 0xff), withByte(whole, at, 0x00)]) {
        try {
          definedClasses(damaged);
        } catch (error) {
          expect(error).toBeInstanceOf(FormatError);
        }
      }
    }
  });

  it('says what it is not', () => {
    expect(() => definedClasses(new Uint8Array(200))).toThrow(
      /dex: magic at byte 0: this is not compiled code/,
    );
    expect(() => definedClasses(Buffer.from('dex\n'))).toThrow(/the input ends here/);
  });
});

function withByte(bytes: Uint8Array, at: number, value: number): Uint8Array {
  const changed = bytes.slice();
  changed[at] = value;
  return changed;
}
