import { execFileSync } from 'node:child_process';
import { createCipheriv } from 'node:crypto';
import {
  chmodSync,
  chownSync,
  closeSync,
  ftruncateSync,
  linkSync,
  lutimesSync,
  mkdirSync,
  openSync,
  symlinkSync,
  utimesSync,
  writeFileSync,
  writeSync,
} from 'node:fs';
import { join } from 'node:path';

/** What a tree is made of. */
export interface OddTree {
  /** Files with holes; not every tool keeps them. */
  readonly holes?: boolean;
  /** Extended attributes, of which each file system has its own limits. */
  readonly attributes?: boolean;
  /** Letters of the longest name: 255 are what every file system can have. */
  readonly longestName?: number;
}

const oddNames = [
  'grüße an Müller.txt',
  '写真 0001.jpg',
  'name with\nits newline',
  'it\'s "quoted" $HOME `here`',
  ' begins and ends with a space ',
  '.hidden',
  '...',
  '-rf',
  '*?[a-z]',
  'back\\slash',
  'é',
  'e\u0301',
  'ü'.repeat(127),
];

/** A tree of some 2,500 entries, of every size, name, mode, owner and kind that a phone may have; the same one each time. @param root an empty folder */
export function makeOddTree(
  root: string,
  { holes = true, attributes = true, longestName = 255 }: OddTree = {},
): void {
  const at = (...names: string[]) => join(root, ...names);
  const key = createCipheriv('aes-128-ctr', Buffer.alloc(16), Buffer.alloc(16));
  const noise = (bytes: number) => key.update(Buffer.alloc(bytes));
  const text = (bytes: number) =>
    Buffer.from(
      Array.from(
        { length: Math.ceil(bytes / 40) },
        (_, i) => `${i}: words that repeat, and a number ${i * 7919}\n`,
      ).join(''),
    ).subarray(0, bytes);

  mkdirSync(at('names'));
  for (const [i, name] of [...oddNames, 'x'.repeat(longestName)].entries())
    writeFileSync(at('names', name), `of name ${i}`);
  mkdirSync(at('names', 'd'.repeat(longestName)));
  writeFileSync(at('names', 'd'.repeat(longestName), 'within'), 'within');

  // Around every limit: of what stands in an inode, of a block, of one level of addresses.
  mkdirSync(at('sizes'));
  for (const bytes of [
    0, 1, 59, 60, 61, 155, 156, 157, 3000, 3487, 3488, 3489, 3692, 4067, 4068, 4095, 4096, 4097, 8192, 12_287,
    65_536, 100_000, 1_000_001,
  ]) {
    writeFileSync(at('sizes', `text-${bytes}`), text(bytes));
    writeFileSync(at('sizes', `noise-${bytes}`), noise(bytes));
  }
  writeFileSync(at('sizes', 'text-5000000'), text(5_000_000));
  writeFileSync(at('sizes', 'noise-5000000'), noise(5_000_000));
  writeFileSync(at('sizes', 'zeros'), Buffer.alloc(300_000));
  writeFileSync(
    at('sizes', 'mixed'),
    Buffer.concat([text(70_000), noise(70_001), Buffer.alloc(70_002), text(70_003)]),
  );
  if (holes) {
    const file = openSync(at('sizes', 'holes'), 'w');
    for (let i = 0; i < 40; i++) writeSync(file, noise(3000 + i), 0, 3000 + i, i * 250_000);
    ftruncateSync(file, 12_345_678);
    closeSync(file);
    const empty = openSync(at('sizes', 'one hole'), 'w');
    ftruncateSync(empty, 3_000_000);
    closeSync(empty);
  }

  mkdirSync(at('many'));
  for (let i = 0; i < 1900; i++) writeFileSync(at('many', `file-with-a-rather-long-name-${i}`), `${i}`);
  let deep = at('deep');
  mkdirSync(deep);
  for (let i = 0; i < 60; i++) {
    deep = join(deep, `level-${i}`);
    mkdirSync(deep);
    writeFileSync(join(deep, 'here'), `level ${i}`);
  }
  mkdirSync(at('folders'));
  for (let i = 0; i < 150; i++) mkdirSync(at('folders', `folder-${i}`));

  mkdirSync(at('links'));
  symlinkSync('../sizes/text-60', at('links', 'short'));
  symlinkSync('/absolute/and/nowhere', at('links', 'dangling'));
  symlinkSync('x'.repeat(59), at('links', 'of 59'));
  symlinkSync('x'.repeat(60), at('links', 'of 60'));
  symlinkSync('y/'.repeat(500), at('links', 'of 1000'));
  symlinkSync('grüße/写真', at('links', 'of other letters'));
  linkSync(at('sizes', 'text-4097'), at('links', 'hard'));
  linkSync(at('sizes', 'text-4097'), at('links', 'harder'));

  mkdirSync(at('modes'));
  for (const [i, mode] of [0o000, 0o400, 0o644, 0o755, 0o777, 0o1777, 0o2755, 0o4755, 0o6711].entries()) {
    const path = at('modes', mode.toString(8));
    writeFileSync(path, '');
    chownSync(path, 10_000 + i * 70_001, i === 0 ? 0 : 65_535 + i);
    chmodSync(path, mode);
  }

  if (attributes) {
    mkdirSync(at('attributes'));
    const set = (path: string, name: string, value: string) =>
      execFileSync('setfattr', ['-h', '-n', name, '-v', value, path]);
    for (let i = 0; i < 12; i++) {
      const path = at('attributes', `labelled-${i}`);
      writeFileSync(path, `${i}`);
      set(path, 'security.selinux', `u:object_r:app_data_file:s0:c${i % 3},c256`);
      if (i % 2) set(path, 'user.note', 'v'.repeat(i * 9));
      if (i % 3 === 0) set(path, 'trusted.overlay.origin', `0x${'00ff'.repeat(i + 1)}`);
    }
    set(at('attributes'), 'security.selinux', 'u:object_r:system_data_file:s0');
    set(at('links', 'short'), 'security.selinux', 'u:object_r:system_file:s0');
  }

  for (const [i, name] of ['text-1', 'text-60', 'noise-4096'].entries())
    utimesSync(at('sizes', name), 1_000_000_000 + i, 1_100_000_000 + i * 1000);
  lutimesSync(at('links', 'short'), 1_200_000_000, 1_200_000_000);
}
