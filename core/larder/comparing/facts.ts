import type { Inspection } from '../../formats/inspect/inspection.ts';

/** Something that an image says of itself, and what each of two says. */
export interface FactDifference {
  /** Where it stands within the image, outermost first; empty for the image itself. */
  readonly within: readonly string[];
  readonly name: string;
  /** Undefined where one does not say it. */
  readonly before: string | undefined;
  readonly after: string | undefined;
}

/** What two images say of themselves that is not the same: versions, patch levels, keys, rollback indexes and the like. */
export function compareFacts(before: Inspection, after: Inspection): FactDifference[] {
  const [a, b] = [factsIn(before), factsIn(after)];
  const found: FactDifference[] = [];
  for (const [key, fact] of new Map([...a, ...b])) {
    const [was, is] = [a.get(key)?.value, b.get(key)?.value];
    if (was !== is) found.push({ within: fact.within, name: fact.name, before: was, after: is });
  }
  return found;
}

interface Fact {
  readonly within: readonly string[];
  readonly name: string;
  readonly value: string;
}

function factsIn(inspection: Inspection): Map<string, Fact> {
  const facts = new Map<string, Fact>();
  const add = (fact: Fact) => void facts.set([...fact.within, fact.name].join('\0'), fact);
  const walk = ({ format, fields, inner }: Inspection, within: readonly string[]) => {
    add({ within, name: 'format', value: format });
    for (const [name, value] of Object.entries(fields)) add({ within, name, value: String(value) });
    for (const each of inner) walk(each.inspection, [...within, each.name]);
  };
  walk(inspection, []);
  return facts;
}
