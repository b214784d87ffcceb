import { scaleLinear, scaleLog } from 'd3-scale';
import { roleNames, roles, type Role } from '@keen-larder/core/phone/roles.ts';

/**
 * What the larder has of a partition: nothing; an image, and nobody has looked since; an image that is still
 * what lies there; an image that no longer is.
 */
export type Lid = 'none' | 'kept' | 'same' | 'changed';

/** What the map needs of a partition. */
export interface MapPartition {
  readonly name: string;
  readonly role: Role;
  readonly bytes: number;
  readonly usedBytes?: number;
  readonly lid: Lid;
  /** A write to it broke off. */
  readonly isHalfWritten?: boolean;
}

export interface Jar {
  readonly partition: MapPartition;
  readonly x: number;
  readonly y: number;
  readonly width: number;
  readonly height: number;
  /** Share in use, 0 to 1; undefined when it is not known. */
  readonly filled: number | undefined;
}

/** A shelf: the jars of one role, or one line of them when they wrap. */
export interface ShelfLine {
  readonly role: Role;
  readonly code: string;
  readonly name: string;
  readonly x: number;
  readonly y: number;
  readonly width: number;
  readonly jars: readonly Jar[];
  readonly count: number;
  readonly bytes: number;
  /** The first line of its shelf, which carries the name. */
  readonly isFirst: boolean;
}

export interface StorageLayout {
  readonly width: number;
  readonly height: number;
  readonly lines: readonly ShelfLine[];
}

export type MapScale = 'logarithmic' | 'true';

const nameWidth = 104;
const gap = 6;
const columnGap = 20;
const lidHeight = 6;
/** Pixels of a jar, and what its line has above it. A finger needs more than a mouse. */
const jarSizes = { mouse: { height: 34, narrowest: 42 }, finger: { height: 44, narrowest: 48 } };
const aboveJar = 12;
/** Below this all jars are as narrow as can be: a table of 17 KiB must not make every other jar wide. */
const leastBytes = 512 * 1024;
const widest = 128;

/**
 * Places jars on shelves: a shelf per role, in the order of roles; two short shelves share a line.
 * @param width of the drawing, in pixels
 */
export function storageLayout(
  partitions: readonly MapPartition[],
  width: number,
  scale: MapScale,
  pointer: keyof typeof jarSizes = 'mouse',
): StorageLayout {
  const jar = jarSizes[pointer];
  const widthOf = jarWidths(partitions, width, scale, jar.narrowest);
  const shelves = roles
    .map((role) => partitions.filter((partition) => partition.role === role))
    .filter((jars) => jars.length > 0)
    .map((jars) => ({ role: jars[0]!.role, jars, bytes: jars.reduce((sum, { bytes }) => sum + bytes, 0) }));
  const needed = (jars: readonly MapPartition[]) =>
    nameWidth + jars.reduce((sum, jar) => sum + widthOf(jar) + gap, -gap);
  const half = (width - columnGap) / 2;

  const lines: ShelfLine[] = [];
  let y = 0;
  for (let i = 0; i < shelves.length; i++) {
    const shelf = shelves[i]!;
    const next = shelves[i + 1];
    const pair = next && needed(shelf.jars) <= half && needed(next.jars) <= half;
    const columns = pair ? [shelf, next] : [shelf];
    let below = y;
    columns.forEach((each, column) => {
      const x = column * (half + columnGap);
      const room = pair ? half : width;
      const bottom = placeShelf(lines, each, { x, y, width: room, jarHeight: jar.height }, widthOf);
      below = Math.max(below, bottom);
    });
    y = below;
    if (pair) i++;
  }
  return { width, height: y + 4, lines };
}

function jarWidths(
  partitions: readonly MapPartition[],
  width: number,
  scale: MapScale,
  narrowest: number,
): (partition: MapPartition) => number {
  const largest = Math.max(...partitions.map(({ bytes }) => bytes), 1);
  if (scale === 'true') {
    const linear = scaleLinear([0, largest], [0, width - nameWidth]);
    return ({ bytes }) => Math.max(4, linear(bytes));
  }
  const smallest = Math.max(leastBytes, Math.min(...partitions.map(({ bytes }) => bytes)));
  const log = scaleLog([smallest, Math.max(largest, smallest * 2)], [narrowest, widest]).clamp(true);
  // A name of eight letters must be readable in the smallest jar that has one.
  return ({ bytes, name }) => Math.max(log(Math.max(bytes, 1)), Math.min(84, name.length * 6.6 + 14));
}

function placeShelf(
  lines: ShelfLine[],
  shelf: { role: Role; jars: readonly MapPartition[]; bytes: number },
  area: { x: number; y: number; width: number; jarHeight: number },
  widthOf: (partition: MapPartition) => number,
): number {
  const { jarHeight } = area;
  const lineHeight = jarHeight + aboveJar + lidHeight;
  let { y } = area;
  let x = area.x + nameWidth;
  let jars: Jar[] = [];
  const right = area.x + area.width;
  const endLine = (isFirst: boolean) => {
    lines.push({
      role: shelf.role,
      ...roleNames[shelf.role],
      x: area.x,
      y: y + lineHeight - lidHeight,
      width: area.width,
      jars,
      count: shelf.jars.length,
      bytes: shelf.bytes,
      isFirst,
    });
  };
  let isFirst = true;
  for (const partition of shelf.jars) {
    const width = Math.min(widthOf(partition), area.width - nameWidth);
    if (jars.length > 0 && x + width > right + 0.5) {
      endLine(isFirst);
      isFirst = false;
      jars = [];
      x = area.x + nameWidth;
      y += lineHeight;
    }
    jars.push({
      partition,
      x,
      y: y + lineHeight - lidHeight - jarHeight,
      width,
      height: jarHeight,
      filled:
        partition.usedBytes === undefined ? undefined : Math.min(1, partition.usedBytes / partition.bytes),
    });
    x += width + gap;
  }
  endLine(isFirst);
  return y + lineHeight;
}

/** Height of a jar's lid above its body. */
export const lidPixels = lidHeight;
