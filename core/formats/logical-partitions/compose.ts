import { sizeText } from '../../bytes/units.ts';
import type { LogicalPartitions } from './super-reader.ts';
import { layOutLogical, type LogicalLayout } from './super-writer.ts';

/** Sizes of logical partitions are multiples of this (`logicalBlockBytes` of the geometry). */
const blockBytes = 4096;

/** A new `super`, or why there is none. */
export type Composed =
  | { readonly superBytes: number; readonly layout: LogicalLayout }
  | { readonly fault: string };

/**
 * Lays logical partitions out anew: some in new sizes, the others as they are. Groups, limits and attributes
 * stay.
 * @param table of the `super` that they belong to
 * @param replaced sizes in bytes, by name
 */
export function composeSuper(table: LogicalPartitions, replaced: ReadonlyMap<string, number>): Composed {
  const [device] = table.blockDevices;
  if (!device || table.blockDevices.length !== 1) {
    return { fault: 'Its logical partitions lie on several partitions, which is not supported.' };
  }
  const stranger = [...replaced.keys()].find((name) => !table.partitions.some((each) => each.name === name));
  if (stranger) return { fault: `There is no ${stranger} in super.` };
  const partitions = table.partitions.map((each) => ({
    ...each,
    bytes: Math.ceil((replaced.get(each.name) ?? each.bytes) / blockBytes) * blockBytes,
  }));
  for (const { name, maximumBytes } of table.groups) {
    const bytes = partitions.filter(({ group }) => group === name).reduce((sum, each) => sum + each.bytes, 0);
    if (maximumBytes === 0 || bytes <= maximumBytes) continue;
    return {
      fault: `They take ${sizeText(bytes)} together; their group ${name} has ${sizeText(maximumBytes)}.`,
    };
  }
  const groups = table.groups.filter(({ name }) => name !== 'default');
  const layout = layOutLogical({ superBytes: device.bytes, groups, partitions });
  return layout.endBytes > device.bytes
    ? { fault: `They take ${sizeText(layout.endBytes)} together; super has ${sizeText(device.bytes)}.` }
    : { superBytes: device.bytes, layout };
}
