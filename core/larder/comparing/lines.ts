/** `name=value` lines, as Android's `build.prop` has them. */
export interface PropertyDifference {
  readonly name: string;
  /** Undefined where it is not there. */
  readonly before: string | undefined;
  readonly after: string | undefined;
}

const propertyLine = /^\s*([A-Za-z0-9_.:/-]+)\s*=(.*)$/;

/** Properties by name, the last of a name counting; undefined where a line is neither a property, empty nor a comment. */
export function propertiesIn(text: string): ReadonlyMap<string, string> | undefined {
  const found = new Map<string, string>();
  for (const line of text.split('\n')) {
    const trimmed = line.trim();
    if (trimmed === '' || trimmed.startsWith('#') || trimmed.startsWith('import ')) continue;
    const match = propertyLine.exec(line);
    if (!match) return undefined;
    found.set(match[1]!, match[2]!.trim());
  }
  return found.size > 0 ? found : undefined;
}

/** Properties that are other ones, by name; undefined where one of the texts is no list of properties. */
export function compareProperties(before: string, after: string): PropertyDifference[] | undefined {
  const [a, b] = [propertiesIn(before), propertiesIn(after)];
  if (!a || !b) return undefined;
  return [...new Set([...a.keys(), ...b.keys()])]
    .sort()
    .map((name) => ({ name, before: a.get(name), after: b.get(name) }))
    .filter((each) => each.before !== each.after);
}
