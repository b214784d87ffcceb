import { execFileSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { lstatSync, readdirSync, readFileSync, readlinkSync } from 'node:fs';
import { join } from 'node:path';
import type { FileNode, FileSystem } from '@keen-larder/core/formats/file-system/reading.ts';

/** What is held against each other of an entry of a tree. */
export interface TreeFacts {
  readonly type: string;
  readonly mode: string;
  readonly owner: string;
  readonly modifiedAt: number;
  readonly bytes?: number;
  readonly sha256?: string;
  readonly links?: number;
  readonly target?: string;
  readonly attributes: Readonly<Record<string, string>>;
}

export type Tree = Readonly<Record<string, TreeFacts>>;

const sha256 = (bytes: Uint8Array): string => createHash('sha256').update(bytes).digest('hex');

const sorted = (attributes: [string, string][]): Record<string, string> =>
  Object.fromEntries(attributes.sort(([a], [b]) => (a < b ? -1 : 1)));

/** A folder as the kernel tells of it, but for its root. */
export function treeOfFolder(root: string): Tree {
  const attributes = attributesOfFolder(root);
  const found: Record<string, TreeFacts> = {};
  const walk = (folder: string): void => {
    for (const name of readdirSync(join(root, folder))) {
      const path = `${folder}/${name}`;
      const stat = lstatSync(join(root, path));
      const type = stat.isDirectory()
        ? 'directory'
        : stat.isSymbolicLink()
          ? 'link'
          : stat.isFile()
            ? 'file'
            : 'other';
      found[path] = {
        type,
        mode: (stat.mode & 0o7777).toString(8),
        owner: `${stat.uid}:${stat.gid}`,
        modifiedAt: Math.floor(stat.mtimeMs / 1000),
        ...(type === 'file' && {
          bytes: stat.size,
          links: stat.nlink,
          sha256: sha256(readFileSync(join(root, path))),
        }),
        ...(type === 'link' && { target: readlinkSync(join(root, path)) }),
        attributes: sorted(Object.entries(attributes.get(path) ?? {})),
      };
      if (type === 'directory') walk(path);
    }
  };
  walk('');
  return found;
}

/** By getfattr, in one go: values as hexadecimal. */
function attributesOfFolder(root: string): Map<string, Record<string, string>> {
  const told = execFileSync('getfattr', ['-R', '-P', '-h', '-d', '-m', '-', '-e', 'hex', '.'], {
    cwd: root,
    encoding: 'utf8',
    maxBuffer: 1 << 26,
    stdio: ['ignore', 'pipe', 'ignore'],
  });
  const found = new Map<string, Record<string, string>>();
  for (const part of told.split('\n\n')) {
    const [file, ...lines] = part.split('\n');
    if (!file?.startsWith('# file: ')) continue;
    const path = `/${unescaped(file.slice('# file: '.length))}`;
    found.set(
      path,
      Object.fromEntries(
        lines.flatMap((line) => {
          const [, name, value] = /^([^=]+)=0x([0-9a-f]*)$/.exec(line) ?? [];
          return name === undefined ? [] : [[name, value!]];
        }),
      ),
    );
  }
  return found;
}

/** getfattr writes what is no plain letter as a backslash and three octal digits. */
const unescaped = (text: string): string =>
  Buffer.from(
    text.replace(/\\([0-7]{3})/g, (_, digits: string) => String.fromCharCode(Number.parseInt(digits, 8))),
    'latin1',
  ).toString('utf8');

/** The same as a reader tells it. */
export async function treeOfFileSystem(fs: FileSystem): Promise<Tree> {
  const found: Record<string, TreeFacts> = {};
  for await (const { path, node, fault } of fs.walk()) {
    if (!node || fault !== undefined) throw new Error(`${path}: ${fault}`);
    found[path] = await factsOf(fs, node);
  }
  return found;
}

async function factsOf(fs: FileSystem, node: FileNode): Promise<TreeFacts> {
  const hash = createHash('sha256');
  if (node.type === 'file') for await (const part of fs.content(node)) hash.update(part);
  return {
    type: node.type,
    mode: node.permissions.toString(8),
    owner: `${node.uid}:${node.gid}`,
    modifiedAt: node.modifiedAt,
    ...(node.type === 'file' && { bytes: node.bytes, links: node.links, sha256: hash.digest('hex') }),
    ...(node.type === 'link' && { target: await fs.linkTarget(node) }),
    attributes: sorted(
      (await fs.attributes(node)).map(({ name, value }) => [name, Buffer.from(value).toString('hex')]),
    ),
  };
}

/** Paths of which one tree says something else than the other, and what: short, where thousands are held against each other. */
export function differencesOf(wanted: Tree, found: Tree, facts?: readonly (keyof TreeFacts)[]): string[] {
  const paths = new Set([...Object.keys(wanted), ...Object.keys(found)]);
  const text = (entry: TreeFacts | undefined) =>
    entry && JSON.stringify(facts ? Object.fromEntries(facts.map((fact) => [fact, entry[fact]])) : entry);
  return [...paths].flatMap((path) => {
    const [a, b] = [text(wanted[path]), text(found[path])];
    return a === b ? [] : [`${path}: ${a} is told as ${b}`];
  });
}
