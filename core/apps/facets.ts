import type { AppFacts } from './facts.ts';

/** One choice of a facet: its name on the screen, and which apps it is for. */
interface Choice {
  readonly id: string;
  readonly title: string;
  readonly holds: (app: AppFacts) => boolean;
}

export interface Facet {
  readonly id: string;
  readonly title: string;
  readonly choices: readonly Choice[];
}

const asks =
  (...names: readonly string[]) =>
  ({ permissions }: AppFacts): boolean =>
    permissions.some(({ name }) => names.some((each) => name === `android.permission.${each}`));

/** What apps are told apart by; of one facet any choice may hold, of several all must. */
export const appFacets: readonly Facet[] = [
  {
    id: 'kind',
    title: 'Came',
    choices: [
      { id: 'owner', title: 'by its owner', holds: ({ isBuiltIn }) => !isBuiltIn },
      { id: 'built-in', title: 'with the system', holds: ({ isBuiltIn }) => isBuiltIn },
    ],
  },
  {
    id: 'state',
    title: 'Now',
    choices: [
      { id: 'running', title: 'running', holds: ({ isRunning }) => isRunning },
      { id: 'at-rest', title: 'at rest', holds: (app) => !app.isRunning && app.isEnabled },
      { id: 'disabled', title: 'disabled', holds: ({ isEnabled }) => !isEnabled },
    ],
  },
  {
    id: 'asks',
    title: 'Asks for',
    choices: [
      { id: 'camera', title: 'camera', holds: asks('CAMERA') },
      { id: 'microphone', title: 'microphone', holds: asks('RECORD_AUDIO') },
      { id: 'place', title: 'place', holds: asks('ACCESS_FINE_LOCATION', 'ACCESS_COARSE_LOCATION') },
      { id: 'people', title: 'contacts', holds: asks('READ_CONTACTS', 'WRITE_CONTACTS') },
      { id: 'messages', title: 'messages', holds: asks('READ_SMS', 'RECEIVE_SMS', 'SEND_SMS') },
    ],
  },
];

/** Choices by facet, as `kind:owner`. */
export type FacetPicks = ReadonlySet<string>;
export const facetKey = (facet: Facet, choice: { readonly id: string }): string => `${facet.id}:${choice.id}`;

export interface FilteredApps {
  readonly shown: readonly AppFacts[];
  /** How many apps each choice would show, the other facets and the search as they are. */
  readonly counts: ReadonlyMap<string, number>;
  /** Apps that the search or the facets hide. */
  readonly hidden: number;
}

/** Which apps a search and some facets leave, and how many each choice of a facet would. */
export function filterApps(apps: readonly AppFacts[], search: string, picks: FacetPicks): FilteredApps {
  const words = search.toLowerCase().split(/\s+/).filter(Boolean);
  const found = apps.filter((app) => {
    const text = `${app.label} ${app.package}`.toLowerCase();
    return words.every((word) => text.includes(word));
  });
  const isLeftBy = (facet: Facet) => {
    const chosen = facet.choices.filter((choice) => picks.has(facetKey(facet, choice)));
    return (app: AppFacts) => chosen.length === 0 || chosen.some(({ holds }) => holds(app));
  };
  const tests = appFacets.map((facet) => ({ facet, test: isLeftBy(facet) }));
  const counts = new Map<string, number>();
  for (const { facet } of tests) {
    const others = tests.filter((each) => each.facet !== facet);
    const left = found.filter((app) => others.every(({ test }) => test(app)));
    for (const choice of facet.choices) {
      counts.set(
        facetKey(facet, choice),
        left.reduce((sum, app) => sum + (choice.holds(app) ? 1 : 0), 0),
      );
    }
  }
  const shown = found.filter((app) => tests.every(({ test }) => test(app)));
  return { shown, counts, hidden: apps.length - shown.length };
}

export const appOrders = ['label', 'package', 'version', 'program', 'data', 'updated'] as const;
export type AppOrder = (typeof appOrders)[number];

const compare: Readonly<Record<AppOrder, (a: AppFacts, b: AppFacts) => number>> = {
  label: (a, b) => a.label.localeCompare(b.label, 'en'),
  package: (a, b) => (a.package < b.package ? -1 : 1),
  version: (a, b) => a.versionCode - b.versionCode,
  program: (a, b) => a.programBytes - b.programBytes,
  data: (a, b) => (a.dataBytes ?? 0) - (b.dataBytes ?? 0),
  updated: (a, b) => (a.lastUpdated ?? '').localeCompare(b.lastUpdated ?? ''),
};

/** In an order, those that are alike by their labels. */
export const sortApps = (apps: readonly AppFacts[], order: AppOrder, descending: boolean): AppFacts[] =>
  [...apps].sort((a, b) => compare[order](a, b) * (descending ? -1 : 1) || compare.label(a, b));
