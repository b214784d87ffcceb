import { isComparedInPieces } from '../phone/piece-sizes.ts';
import type { PartitionFacts } from '../phone/facts.ts';
import { byRole } from '../phone/roles.ts';
import { batteryFor } from './battery.ts';
import { bySeverity, type RunSheet } from './check.ts';
import { usualStartMs } from './estimate.ts';
import { checksBeforePicking, imagingChecks } from './imaging-checks.ts';
import { canReadUsedOnly, type ImagingFacts } from './imaging-facts.ts';

export { canReadUsedOnly, type ImagingFacts } from './imaging-facts.ts';

/** What is new in an image of something that was kept before, as a share of its use. */
const usualChange = 0.05;

/** Less is read in no time. */
const worthAskingBytes = 8 << 20;

/**
 * Whether a partition that was kept before may be as it was: the phone is asked for its digest before it is
 * read. User data and scratch space change whenever a phone is used.
 */
export const mayBeUnchanged = ({ bytes, role, mount, archive }: PartitionFacts): boolean =>
  bytes >= worthAskingBytes && !archive && !mount?.writable && role !== 'user-data' && role !== 'scratch';

/** Whether a partition need not be read if the phone proves it to be as it was last kept. */
export const mayBeKeptAlready = (
  partition: PartitionFacts & {
    readonly kept?: { readonly bytes: number; readonly ranges?: unknown } | undefined;
  },
): boolean =>
  mayBeUnchanged(partition) && partition.kept?.bytes === partition.bytes && !partition.kept.ranges;

const bytesToRead = (partition: PartitionFacts, usedOnly: readonly string[] = []): number =>
  usedOnly.includes(partition.name) && canReadUsedOnly(partition) ? partition.usedBytes! : partition.bytes;

/** What is in use, unless most of it is on the shelf already. */
function expectedOnShelf({ name, bytes, usedBytes }: PartitionFacts, { larder }: ImagingFacts): number {
  const inUse = usedBytes ?? bytes;
  return Math.round(larder.kept?.includes(name) ? inUse * usualChange : inUse);
}

/** Whether the larder has all of it, and may be relied upon for what has not changed. */
const isKeptWhole = ({ name }: PartitionFacts, { larder, usedOnly, readAll }: ImagingFacts): boolean =>
  !readAll && larder.keptWhole?.includes(name) === true && !usedOnly?.includes(name);

function readText(image: PartitionFacts, facts: ImagingFacts): string {
  const { name, bytes, archive } = image;
  if (archive) return `Archive ${name}`;
  if (!isKeptWhole(image, facts)) return `Read ${name}`;
  if (isComparedInPieces(bytes)) return `Compare ${name}, read what changed`;
  return mayBeUnchanged(image) ? `Compare ${name}, read it if it changed` : `Read ${name}`;
}

/** What was kept before goes by how long that took the last time. */
function msFor(image: PartitionFacts, facts: ImagingFacts): number {
  const pace = isKeptWhole(image, facts) ? facts.paces?.get(image.name) : undefined;
  return (bytesToRead(image, facts.usedOnly) / (pace ?? facts.bytesPerSecond)) * 1000;
}

/** The plan of an imaging run: what is read in which order, how long it takes, what to know before. */
export function imagingSheet(facts: ImagingFacts): RunSheet {
  const images = facts.partitions.filter(({ name }) => facts.picked.includes(name)).sort(byRole);
  const restart = facts.restartInto && facts.restartInto !== facts.phone.mode ? facts.restartInto : undefined;
  const mode = restart ?? facts.phone.mode;
  const bytes = images.reduce((sum, each) => sum + bytesToRead(each, facts.usedOnly), 0);
  const context = { ...facts, mode, images, bytes };
  const readingMs = images.reduce((sum, each) => sum + msFor(each, facts), 0);
  const expectedMs = readingMs + (restart ? usualStartMs : 0);
  return {
    steps: [
      ...(restart ? [{ kind: 'restart' as const, text: `Restart into ${restart}`, bytes: 0 }] : []),
      ...images.map((image) => ({
        kind: 'read' as const,
        text: readText(image, facts),
        partition: image.name,
        bytes: bytesToRead(image, facts.usedOnly),
      })),
    ],
    bytes,
    shelfBytes: images.reduce((sum, each) => sum + expectedOnShelf(each, facts), 0),
    bytesPerSecond: facts.bytesPerSecond,
    batteryPercent: batteryFor(expectedMs),
    expectedMs,
    checks: bySeverity(
      (images.length > 0 ? imagingChecks : checksBeforePicking).flatMap((check) => check(context)),
    ),
  };
}
