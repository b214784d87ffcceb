import type { Slot } from '../boot/boot.ts';
import { archiveOf } from '../phone/archives.ts';
import { roleOf, splitSlot } from '../phone/roles.ts';
import type { Contents, ContentsImage } from './contents.ts';

/** A file that came, and what was found in it. */
export interface IncomingFile {
  /** Where it lies, with `/` between; a file within an archive stands behind the archive's name. */
  readonly path: string;
  /** Size as it lies there. */
  readonly bytes: number;
  /** What it is, from outside in: `gzip`, `sparse image`, `ext4`. */
  readonly layers: readonly string[];
  /** Its partition, where the partition table of a whole flash tells it. */
  readonly partition?: string;
  /** Size of the image in it, where that can be known before it is unpacked. */
  readonly imageBytes?: number;
  /** What is odd about it, or worth knowing. */
  readonly notes?: readonly string[];
  /** Why it cannot be used. */
  readonly fault?: string;
}

/** An image to be made of one file, or of several sparse files that each hold a part. */
export interface PlannedImport {
  readonly paths: readonly string[];
  readonly layers: readonly string[];
  readonly bytes: number;
  readonly imageBytes?: number;
  readonly kind: 'block' | 'archive';
  /** Left out when its name tells none; somebody has to choose. */
  readonly partition?: string;
  /** What is odd about it. */
  readonly notes: readonly string[];
  /** What the list that came along says of it. */
  readonly listed?: ContentsImage;
  readonly fault?: string;
}

const packedSuffix = /\.(gz|gzip|zst|zstd|xz|lz4|bz2|br|md5)$/i;
const imageSuffix = /\.(img|simg|bin|raw|mbn|elf|ext4|sparse|tar|tgz|new\.dat)$/i;

/** A file's name without what its packing and format add. */
function plainName(path: string): { readonly name: string; readonly part?: number; readonly parts?: number } {
  let name = path.split('/').at(-1)!;
  while (packedSuffix.test(name)) name = name.replace(packedSuffix, '');
  while (imageSuffix.test(name)) name = name.replace(imageSuffix, '');
  const split = /^(.+)-(\d+)of(\d+)$/.exec(name);
  return split ? { name: split[1]!, part: Number(split[2]), parts: Number(split[3]) } : { name };
}

/** A file's name as part of a row: `super.img_sparsechunk.3`, `super.img.3`, `super_3.img` (common practice, no published source). */
function numbered(path: string): { readonly name: string; readonly part: number } | undefined {
  const whole = path.split('/').at(-1)!.replace(imageSuffix, '');
  const found = /^(.+?)(?:[._]?sparsechunk)?[._](\d{1,3})$/i.exec(whole);
  return found ? { name: found[1]!.replace(imageSuffix, ''), part: Number(found[2]) } : undefined;
}

/** What is missing of a row of parts, as a sentence. */
function missingOf(parts: readonly number[]): string | undefined {
  const sorted = [...parts].sort((a, b) => a - b);
  const first = Math.min(sorted[0]!, 1);
  const missing = Array.from({ length: sorted.at(-1)! - first + 1 }, (_, i) => first + i).filter(
    (part) => !sorted.includes(part),
  );
  if (missing.length === 0)
    return sorted.length === 1 ? 'It is one part of several: bring the others along.' : undefined;
  return `Of its parts ${missing.join(', ')} ${missing.length === 1 ? 'is' : 'are'} missing: bring ${missing.length === 1 ? 'it' : 'them'} along.`;
}

const isUsual = (name: string) =>
  roleOf(name) !== 'other' || archiveOf(name) !== undefined || /^gpt-(primary|backup)$/.test(name);

/**
 * The partition that a file's name speaks of.
 * @param known partitions of the phone
 * @param slot the one that it starts from
 */
export function partitionFor(
  path: string,
  known: readonly string[],
  slot: Slot = 'a',
): { partition?: string; note?: string } {
  const { name } = plainName(path);
  const lower = name.toLowerCase();
  const exact = known.find((each) => each === name) ?? known.find((each) => each.toLowerCase() === lower);
  if (exact) return { partition: exact };
  const slotted = known.find((each) => each === `${lower}_${slot}`);
  if (slotted)
    return {
      partition: slotted,
      note: `For slot ${slot}, from which it starts; choose the other if that is meant.`,
    };
  if (isUsual(lower)) {
    return known.length > 0 && !archiveOf(lower)
      ? { partition: lower, note: 'The phone is not known to have such a partition.' }
      : { partition: lower };
  }
  const tail = known
    .filter((each) => new RegExp(`[^a-z0-9]${escaped(each.toLowerCase())}$`).test(lower))
    .sort((a, b) => b.length - a.length)[0];
  return tail ? { partition: tail, note: `Taken as ${tail} by the end of its name.` } : {};
}

/** A partition by the partition table that came with it. */
function tabled(partition: string, known: readonly string[]): { partition: string; note?: string } {
  const isKnown = known.length === 0 || known.includes(partition);
  return isKnown ? { partition } : { partition, note: 'The phone is not known to have such a partition.' };
}

const escaped = (text: string) => text.replace(/[^a-z0-9]/g, '\\$&');

/** Which partitions a format is found in; undefined where any may have it. */
const homes: Readonly<Record<string, (base: string) => boolean>> = {
  'boot image': (base) => ['boot', 'init_boot', 'recovery'].includes(base),
  'vendor boot image': (base) => base === 'vendor_boot',
  'verified-boot metadata': (base) => base.startsWith('vbmeta'),
  'logical partitions': (base) => base === 'super',
  GPT: (base) => base.startsWith('gpt-'),
};

/** What speaks against a partition, by what the file holds. */
export function contentNote(partition: string, layers: readonly string[]): string | undefined {
  const found = layers.at(-1) ?? 'raw';
  const { base } = splitSlot(partition.toLowerCase());
  const belongs = homes[found];
  if (belongs && !belongs(base)) return `It holds a ${found}, which is unusual for ${partition}.`;
  const expected = Object.entries(homes).find(
    ([format, is]) => format !== 'GPT' && is(base) && base !== 'recovery',
  );
  if (!belongs && expected && found !== 'raw') return `It holds ${found}, which is unusual for ${partition}.`;
  return undefined;
}

/**
 * What to make of the files that came: parts of one sparse image become one, lists are set apart.
 * @param known partitions of the phone, as far as they are known
 */
export function planImport(
  files: readonly IncomingFile[],
  known: readonly string[],
  contents: Contents | undefined,
  slot?: Slot,
): PlannedImport[] {
  const listedOf = (path: string) =>
    contents?.images.find(({ files: names }) => names.includes(path.split('/').at(-1)!));
  const groups = new Map<string, IncomingFile[]>();
  const rows = rowsOf(files);
  for (const file of files) {
    const { name, parts } = plainName(file.path);
    const folder = file.path.slice(0, file.path.lastIndexOf('/') + 1);
    const key = rows.get(file.path) ?? (parts === undefined ? file.path : `${folder}${name}-of${parts}`);
    groups.set(key, [...(groups.get(key) ?? []), file]);
  }
  return [...groups.values()].map((group) => {
    const [first] = group as [IncomingFile];
    const { layers, imageBytes } = first;
    const row = rows.has(first.path) ? group.map((each) => numbered(each.path)!) : undefined;
    const path = row ? `${first.path.slice(0, first.path.lastIndexOf('/') + 1)}${row[0]!.name}` : first.path;
    const { parts } = plainName(path);
    const listed = listedOf(path);
    const named = listed
      ? { partition: listed.partition }
      : first.partition
        ? tabled(first.partition, known)
        : partitionFor(path, known, slot);
    const kind = layers.at(-1) === 'tar' ? 'archive' : 'block';
    const odd = named.partition && kind === 'block' ? contentNote(named.partition, layers) : undefined;
    const missing =
      parts !== undefined && group.length !== parts
        ? `${parts} parts belong together and ${group.length === 1 ? 'one is' : `${group.length} are`} here.`
        : row && missingOf(row.map(({ part }) => part));
    const fault = group.find((each) => each.fault)?.fault ?? missing;
    return {
      paths: group.map((each) => each.path).sort(byNumber),
      layers,
      bytes: group.reduce((sum, each) => sum + each.bytes, 0),
      ...(imageBytes !== undefined && { imageBytes }),
      kind,
      ...(!fault && named.partition && { partition: named.partition }),
      notes: [
        ...('note' in named && named.note ? [named.note] : []),
        ...(odd ? [odd] : []),
        ...new Set(group.flatMap((each) => each.notes ?? [])),
      ],
      ...(listed && { listed }),
      ...(fault && { fault }),
    };
  });
}

/** Sparse images that are parts of one by their numbers: which row each belongs to. */
function rowsOf(files: readonly IncomingFile[]): ReadonlyMap<string, string> {
  const rows = new Map<string, string[]>();
  for (const { path, layers, fault } of files) {
    const found = numbered(path);
    if (!found || fault !== undefined || !layers.includes('sparse image')) continue;
    const key = `${path.slice(0, path.lastIndexOf('/') + 1)}${found.name} in parts`;
    rows.set(key, [...(rows.get(key) ?? []), path]);
  }
  // A single file with a number may be what its name says; with the word for a part in it, it is not.
  const isRow = (paths: readonly string[]) => paths.length > 1 || /sparsechunk/i.test(paths[0]!);
  return new Map(
    [...rows].filter(([, paths]) => isRow(paths)).flatMap(([key, paths]) => paths.map((path) => [path, key])),
  );
}

const byNumber = (a: string, b: string) => a.localeCompare(b, 'en', { numeric: true });
