/** User data as phones have it, made by really using the file systems: ext4 by the kernel, f2fs by its own tool. */
import { execFileSync } from 'node:child_process';
import {
  closeSync,
  copyFileSync,
  mkdirSync,
  openSync,
  readdirSync,
  rmSync,
  statSync,
  writeFileSync,
  writeSync,
} from 'node:fs';
import { join } from 'node:path';
import { filler } from '@keen-larder/standin/firmware/filler.ts';

const MiB = 1 << 20;
const run = (command: string, ...args: readonly string[]) =>
  execFileSync(command, args, { stdio: ['ignore', 'ignore', 'inherit'] });

/** Photos, which do not compress; databases, which do; many small files of apps. */
function writeFiles(folder: string, mebibytes: number, seed: number): void {
  mkdirSync(folder, { recursive: true });
  let left = mebibytes * MiB;
  for (let i = 0; left > 0; i++) {
    const kind = i % 8;
    const bytes = Math.min(
      left,
      kind === 0 ? 8 * MiB : kind < 6 ? 3 * MiB + (i % 7) * 100_001 : 20_000 + i * 13,
    );
    writeFileSync(
      join(folder, `${seed}-${i}`),
      filler(kind === 0 ? 'records' : 'program', seed * 1000 + i, bytes),
    );
    left -= bytes;
  }
}

function mounted(image: string, work: (root: string) => void): void {
  const root = `${image}.mounted`;
  mkdirSync(root, { recursive: true });
  run('mount', '-o', 'loop', image, root);
  try {
    work(root);
  } finally {
    run('umount', root);
    rmSync(root, { recursive: true });
  }
}

/** An ext4 file system of so many mebibytes, three quarters full. */
export function makeExt4(image: string, mebibytes: number): void {
  run('truncate', '-s', `${mebibytes}M`, image);
  run('mke2fs', '-q', '-F', '-t', 'ext4', '-b', '4096', '-m', '0', image);
  mounted(image, (root) => writeFiles(join(root, 'first'), mebibytes * 0.75, 1));
}

/** A copy, in which about a share of all bytes was written anew: files deleted, new ones, databases changed in their middle. */
export function useExt4(from: string, to: string, share: number): void {
  run('cp', '--sparse=always', from, to);
  mounted(to, (root) => {
    const first = join(root, 'first');
    const wanted = statSync(to).size * share;
    const names = readdirSync(first).sort();
    const files = names.map((name) => ({ path: join(first, name), bytes: statSync(join(first, name)).size }));
    let deleted = 0;
    for (const { path, bytes } of files.filter((_, i) => i % 3 === 0)) {
      if (deleted > wanted * 0.8) break;
      rmSync(path);
      deleted += bytes;
    }
    writeFiles(join(root, `used-${share}`), Math.floor((wanted * 0.8) / MiB), Math.round(share * 1000));
    const changed = files.filter(({ bytes }, i) => i % 3 === 1 && bytes === 8 * MiB);
    for (let i = 0, left = wanted * 0.15; left > 0 && changed.length > 0; i++) {
      const { path, bytes } = changed[i % changed.length]!;
      const file = openSync(path, 'r+');
      writeSync(
        file,
        filler('records', 7000 + i, 65_536),
        0,
        65_536,
        ((i * 977) % (bytes / 65_536)) * 65_536,
      );
      closeSync(file);
      left -= 65_536;
    }
  });
}

/** An f2fs file system of so many mebibytes, three quarters full. @param scratch a folder with room for its files */
export function makeF2fs(image: string, mebibytes: number, scratch: string): void {
  run('truncate', '-s', `${mebibytes}M`, image);
  run('mkfs.f2fs', '-q', '-f', image);
  load(image, scratch, 'first', mebibytes * 0.75, 1);
}

/** A copy, to which about a share of all bytes was added, as a log-structured file system does: at its head. */
export function useF2fs(from: string, to: string, share: number, scratch: string): void {
  copyFileSync(from, to);
  load(to, scratch, `used-${share}`, Math.floor((statSync(to).size * share) / MiB), 5);
}

function load(image: string, scratch: string, name: string, mebibytes: number, seed: number): void {
  const files = join(scratch, 'files');
  writeFiles(join(files, name), mebibytes, seed);
  run('sload.f2fs', '-f', files, image);
  rmSync(files, { recursive: true });
}

/** A file system of programs, which compress as those do: copies of what is in some folders. */
export function makePrograms(image: string, mebibytes: number, folders: readonly string[]): void {
  run('truncate', '-s', `${mebibytes}M`, image);
  run('mke2fs', '-q', '-F', '-t', 'ext4', '-b', '4096', '-m', '0', image);
  mounted(image, (root) => {
    let left = mebibytes * 0.75 * MiB;
    const take = (from: string, into: string): void => {
      for (const entry of readdirSync(from, { withFileTypes: true })) {
        const path = join(from, entry.name);
        if (entry.isDirectory()) take(path, into);
        else if (entry.isFile() && statSync(path).size < Math.min(left, 64 * MiB) && left > 0) {
          const target = join(into, String(Math.round(left)));
          copyFileSync(path, target);
          left -= Math.ceil(statSync(target).size / 4096) * 4096;
        }
      }
    };
    for (const folder of folders) take(folder, root);
  });
}
