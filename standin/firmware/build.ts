/**
 * Makes the shipped file systems with e2fsprogs, erofs-utils, the project's own builder of f2fs, and img2simg: `npx tsx standin/firmware/build.ts`.
 * The blocks of the large files are left out (zero) so that the images stay small; a simulated
 * phone fills them in when its flash is composed (`pour.ts`).
 */
import { execFileSync } from 'node:child_process';
import {
  chmodSync,
  lchownSync,
  mkdirSync,
  mkdtempSync,
  openSync,
  closeSync,
  ftruncateSync,
  lstatSync,
  lutimesSync,
  readdirSync,
  readFileSync,
  rmSync,
  symlinkSync,
  writeFileSync,
  writeSync,
} from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { compress } from 'zstd-napi';
import { onePiece } from '@keen-larder/core/bytes/one-piece.ts';
import { F2fsBuilder } from '@keen-larder/core/formats/f2fs/f2fs.ts';
import type { NewFile } from '@keen-larder/core/formats/file-system/building.ts';
import { openFileSystem } from '@keen-larder/core/formats/file-system/open.ts';
import { memorySource } from '@keen-larder/core/bytes/source.ts';
import { madeBytes, templates, type Template } from './contents.ts';
import { stretchesOf } from './pour.ts';
import type { Item } from './item.ts';

const images = join(import.meta.dirname, 'images');
/** Every image is made "on" this day, so that building again gives the same bytes. */
const fakeTime = '1767600000';

/** Some by their names, all where none is named. */
const wanted = process.argv.slice(2);
for (const template of templates)
  if (wanted.length === 0 || wanted.includes(template.name)) await build(template);

async function build(template: Template): Promise<void> {
  const work = mkdtempSync(join(tmpdir(), 'keen-larder-firmware-'));
  try {
    const root = join(work, 'root');
    const image = join(work, `${template.name}.img`);
    mkdirSync(root);
    for (const item of template.items) lay(root, item);
    dateAll(root);
    if (template.erofs) makeErofs(root, image, template);
    else if (template.f2fs) await makeF2fs(image, template);
    else makeExt4(root, image, template);
    await emptyFillers(image, template);
    execFileSync('img2simg', [image, `${image}.sparse`]);
    const packed = compress(readFileSync(`${image}.sparse`), { compressionLevel: 19 });
    writeFileSync(join(images, `${template.name}.simg.zst`), packed);
    process.stdout.write(`${template.name}: ${packed.length} bytes\n`);
  } finally {
    rmSync(work, { recursive: true });
  }
}

/** Nothing of it is packed: its large files are filled in where they lie. */
function makeErofs(root: string, image: string, template: Template): void {
  for (const { path, owner = [0, 0], mode, label, link, directory } of template.items) {
    const at = join(root, path);
    lchownSync(at, owner[0], owner[1]);
    if (!link) chmodSync(at, mode ?? (directory ? 0o755 : 0o644));
    if (label) execFileSync('setfattr', ['-h', '-n', 'security.selinux', '-v', `${label}\\000`, at]);
  }
  dateAll(root);
  execFileSync('mkfs.erofs', ['--quiet', `-T${fakeTime}`, `-U${uuidOf(template.name)}`, image, root], {
    stdio: ['ignore', 'ignore', 'inherit'],
  });
  execFileSync('fsck.erofs', [image], { stdio: 'ignore' });
}

/** By our own builder, with owners and labels. */
async function makeF2fs(image: string, { name, megabytes, volume, items }: Template): Promise<void> {
  const bytes = megabytes << 20;
  const file = openSync(image, 'w+');
  ftruncateSync(file, bytes);
  try {
    const uuid = Buffer.from(uuidOf(name).replaceAll('-', ''), 'hex');
    const builder = new F2fsBuilder(
      { bytes, volume, uuid, madeAt: Number(fakeTime) },
      {
        write(offset, part) {
          writeSync(file, part, 0, part.length, offset);
          return Promise.resolve();
        },
        zero: () => Promise.resolve(),
      },
    );
    const directories = new Set(items.flatMap(({ path, directory }) => (directory ? [path] : [])));
    for (const { path } of items)
      for (let parent = dirname(path); parent !== '/'; parent = dirname(parent)) directories.add(parent);
    for (const path of [...directories].sort())
      await builder.add(newFileOf(items.find((item) => item.path === path) ?? { path, directory: true }));
    for (const item of items) if (!item.directory) await builder.add(newFileOf(item));
    await builder.finish();
  } finally {
    closeSync(file);
  }
  execFileSync('fsck.f2fs', ['--dry-run', '-f', image], { stdio: 'ignore' });
}

function newFileOf(item: Item): NewFile {
  const { path, link, directory, label, owner: [uid, gid] = [0, 0] } = item;
  const content = directory || link ? undefined : Buffer.from(item.text ?? madeBytes(item)!);
  return {
    ...{ path, uid, gid, modifiedAt: Number(fakeTime) },
    type: directory ? 'directory' : link ? 'link' : 'file',
    permissions: item.mode ?? (link ? 0o777 : directory ? 0o755 : 0o644),
    attributes: label ? [{ name: 'security.selinux', value: Buffer.from(`${label}\0`) }] : [],
    ...(link && { target: link }),
    ...(content && { bytes: content.length, content: onePiece(content) }),
  };
}

function makeExt4(root: string, image: string, template: Template): void {
  const env = { ...process.env, E2FSPROGS_FAKE_TIME: fakeTime };
  execFileSync(
    'mke2fs',
    [
      '-q',
      '-t',
      'ext4',
      '-b',
      '4096',
      '-I',
      '256',
      '-m',
      '0',
      // What Android 9's own tools make has no metadata checksums and no 64-bit descriptors.
      '-O',
      template.modern ? 'metadata_csum,64bit,^orphan_file' : '^metadata_csum,^64bit,^orphan_file',
      '-L',
      template.volume,
      '-M',
      template.lastMounted,
      '-U',
      uuidOf(template.name),
      '-E',
      `hash_seed=${uuidOf(`${template.name}-hash`)},lazy_itable_init=0,lazy_journal_init=0,root_owner=0:0`,
      '-d',
      root,
      image,
      `${template.megabytes}M`,
    ],
    { env, stdio: ['ignore', 'ignore', 'inherit'] },
  );
  execFileSync('debugfs', ['-w', '-f', '-', image], {
    env,
    input: [...template.items.flatMap(debugfsLines), ...datedLines(root)].join('\n') + '\n',
    stdio: ['pipe', 'ignore', 'ignore'],
  });
  execFileSync('e2fsck', ['-fn', image], { stdio: 'ignore' });
}

function lay(root: string, item: Item): void {
  const path = join(root, item.path);
  mkdirSync(dirname(path), { recursive: true });
  if (item.directory) mkdirSync(path, { recursive: true });
  else if (item.link) symlinkSync(item.link, path);
  else writeFileSync(path, item.text ?? madeBytes(item)!);
}

/** Every file is of the day that the image is made on. */
function dateAll(path: string): void {
  if (lstatSync(path).isDirectory()) for (const name of readdirSync(path)) dateAll(join(path, name));
  lutimesSync(path, Number(fakeTime), Number(fakeTime));
}

/**
 * When an inode was changed last comes from the machine that the image is made on; no file system lets it be set, and
 * debugfs does.
 */
function datedLines(root: string): string[] {
  const paths = ['', ...readdirSync(root, { recursive: true, encoding: 'utf8' })];
  return paths.map((path) => `set_inode_field /${path} ctime @${fakeTime}`);
}

function debugfsLines(item: Item): string[] {
  const [uid, gid] = item.owner ?? [0, 0];
  const set = (field: string, value: string | number) => `set_inode_field ${item.path} ${field} ${value}`;
  const type = item.directory ? 0o040000 : item.link ? 0o120000 : 0o100000;
  const mode = type | (item.mode ?? (item.link ? 0o777 : item.directory ? 0o755 : 0o644));
  return [
    set('uid', uid),
    set('gid', gid),
    set('mode', `0${mode.toString(8)}`),
    ...(item.label ? [`ea_set ${item.path} security.selinux ${item.label}\\000`] : []),
  ];
}

async function emptyFillers(image: string, template: Template): Promise<void> {
  const file = openSync(image, 'r+');
  try {
    const fs = await openFileSystem(memorySource(readFileSync(image)));
    for (const item of template.items.filter(
      ({ filler, apk, database, records }) => filler ?? apk ?? database ?? records,
    )) {
      for (const { at, length } of await stretchesOf(fs, item.path))
        writeSync(file, Buffer.alloc(length), 0, length, at);
    }
  } finally {
    closeSync(file);
  }
}

/** A fixed identifier from a name (FNV-1a, repeated), in the form of a UUID. */
function uuidOf(name: string): string {
  let text = '';
  for (let part = 0; part < 4; part++) {
    let hash = 0x811c9dc5 ^ part;
    for (const char of name) hash = Math.imul(hash ^ char.charCodeAt(0), 0x01000193);
    text += (hash >>> 0).toString(16).padStart(8, '0');
  }
  return text.replace(/^(.{8})(.{4})(.{4})(.{4})(.{12})$/, '$1-$2-$3-$4-$5');
}
