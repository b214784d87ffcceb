/** Somebody's code that apps carry along, known by the names of its classes. */
export interface Tracker {
  readonly name: string;
  /** What it is there for, in a few words. */
  readonly purpose: string;
  /** What names of its classes begin with: `example.gullcount.beacon`. */
  readonly prefixes: readonly string[];
}

/** A tracker that an app carries along. */
export interface FoundTracker {
  readonly name: string;
  readonly purpose: string;
  /** How many of the app's classes are its. */
  readonly classes: number;
}

/** Whether a class lies under a prefix: whole words between dots count, not their beginnings. */
const isUnder = (name: string, prefix: string): boolean =>
  name.startsWith(prefix) && (name.length === prefix.length || name[prefix.length] === '.');

/** Known trackers among the classes of an app, that with most of them first. */
export function trackersAmong(classes: readonly string[], known: readonly Tracker[]): FoundTracker[] {
  return known
    .map(({ name, purpose, prefixes }) => ({
      name,
      purpose,
      classes: classes.filter((each) => prefixes.some((prefix) => isUnder(each, prefix))).length,
    }))
    .filter((found) => found.classes > 0)
    .sort((a, b) => b.classes - a.classes || (a.name < b.name ? -1 : 1));
}
