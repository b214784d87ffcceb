import { needOf, type Need } from '../built-in.ts';
import type { AppFacts } from '../facts.ts';

/** How sure somebody is of what an app is for: read in its maker's words, told by what it does, or by its name alone. */
export const certainties = ['known', 'likely', 'guessed'] as const;
export type Certainty = (typeof certainties)[number];

/** What apps that come with systems are for. */
export interface Purpose {
  /** A package, or with `*` at its end all whose names begin so: `example.ferry.*`. */
  readonly pattern: string;
  /** By which apps are turned off together, in a few words: `Adverts`. */
  readonly kind: string;
  /** What it is for, in a sentence. */
  readonly purpose: string;
  /** What misses it, in a sentence; empty where nothing is known to. */
  readonly dependents: string;
  readonly certainty: Certainty;
}

/** A package, or the beginning of some with `*` behind it. */
export const patternText = /^[A-Za-z]\w*(?:\.\w+)*(?:\.?\*)?$/;

const fits = (name: string, pattern: string): boolean =>
  pattern.endsWith('*') ? name.startsWith(pattern.slice(0, -1)) : name === pattern;

/** What is known of a package: the pattern that says most of it counts, and the package itself before any. */
export function purposeOf(name: string, known: readonly Purpose[]): Purpose | undefined {
  const weight = ({ pattern }: Purpose) => (pattern.endsWith('*') ? pattern.length : Infinity);
  let best: Purpose | undefined;
  for (const each of known)
    if (fits(name, each.pattern) && (!best || weight(each) > weight(best))) best = each;
  return best;
}

/** An app that came with the system, in a plan. */
export interface PlannedApp {
  readonly package: string;
  readonly label: string;
  readonly purpose: Purpose;
  readonly need: Need;
}

/** Pre-installed apps of one kind, to be turned off together. */
export interface Plan {
  readonly kind: string;
  /** On, and not needed by the phone. */
  readonly apps: readonly PlannedApp[];
  /** Labels of those that the phone needs: they stay. */
  readonly needed: readonly string[];
  /** How many are off already. */
  readonly off: number;
}

/** What of a phone can be turned off by what it is for; the kind with most to turn off first. */
export function plansFor(apps: readonly AppFacts[], known: readonly Purpose[]): Plan[] {
  const kinds = new Map<string, { apps: PlannedApp[]; needed: string[]; off: number }>();
  for (const app of apps) {
    const purpose = app.isBuiltIn ? purposeOf(app.package, known) : undefined;
    if (!purpose) continue;
    const plan = kinds.get(purpose.kind) ?? { apps: [], needed: [], off: 0 };
    kinds.set(purpose.kind, plan);
    const need = needOf(app, apps);
    if (app.isRemoved || !app.isEnabled) plan.off++;
    else if (need.risk === 'needed') plan.needed.push(app.label);
    else plan.apps.push({ package: app.package, label: app.label, purpose, need });
  }
  return [...kinds]
    .map(([kind, plan]) => ({ kind, ...plan }))
    .sort((a, b) => b.apps.length - a.apps.length || (a.kind < b.kind ? -1 : 1));
}

/** For a sentence on what it does: how sure somebody is. */
export const certaintyWords: Readonly<Record<Certainty, string>> = {
  known: 'known',
  likely: 'likely so',
  guessed: 'guessed by its name',
};
