import type { AppChange, CopiedApp } from './copies.ts';
import type { AppFacts } from './facts.ts';

/** An app on a phone, in the larder, or both. */
export interface ListedApp {
  readonly package: string;
  readonly label: string;
  /** As it is on the phone. */
  readonly installed: AppFacts | undefined;
  /** The newest first. */
  readonly copies: readonly { readonly createdAt: number; readonly bytes: number; readonly app: CopiedApp }[];
  readonly change: AppChange;
  readonly isAside: boolean;
}

/** What the phone says of it, or what its newest copy does. */
const knownOf = ({ installed, copies }: ListedApp): AppFacts | CopiedApp => installed ?? copies[0]!.app;

/** One choice of a facet: its name on the screen, and which apps it is for. */
interface Choice {
  readonly id: string;
  readonly title: string;
  readonly holds: (app: ListedApp) => boolean;
}

export interface Facet {
  readonly id: string;
  readonly title: string;
  readonly choices: readonly Choice[];
}

const asks =
  (...names: readonly string[]) =>
  (app: ListedApp): boolean =>
    knownOf(app).permissions.some(({ name }) => names.some((each) => name === `android.permission.${each}`));

/** What apps are told apart by; of one facet any choice may hold, of several all must. */
export const appFacets: readonly Facet[] = [
  {
    id: 'where',
    title: 'Where',
    choices: [
      {
        id: 'phone',
        title: 'only on the phone',
        holds: ({ installed, copies }) => !!installed && copies.length === 0,
      },
      { id: 'both', title: 'on both', holds: ({ installed, copies }) => !!installed && copies.length > 0 },
      { id: 'larder', title: 'only in the larder', holds: ({ installed }) => !installed },
    ],
  },
  {
    id: 'change',
    title: 'Copied',
    choices: [
      { id: 'never', title: 'never', holds: ({ change }) => change === 'never' },
      { id: 'changed', title: 'changed since', holds: ({ change }) => change === 'changed' },
      { id: 'as-kept', title: 'as kept', holds: ({ change }) => change === 'as-kept' },
      { id: 'unknown', title: 'data not seen', holds: ({ change }) => change === 'unknown' },
    ],
  },
  {
    id: 'kind',
    title: 'Installed',
    choices: [
      { id: 'owner', title: 'by the user', holds: (app) => !knownOf(app).isBuiltIn },
      { id: 'built-in', title: 'pre-installed', holds: (app) => knownOf(app).isBuiltIn },
    ],
  },
  {
    id: 'state',
    title: 'Now',
    choices: [
      { id: 'running', title: 'running', holds: ({ installed }) => installed?.isRunning ?? false },
      {
        id: 'at-rest',
        title: 'at rest',
        holds: ({ installed: app }) => !!app && !app.isRunning && app.isEnabled && !app.isRemoved,
      },
      {
        id: 'disabled',
        title: 'off',
        holds: ({ installed: app }) => !!app && (!app.isEnabled || app.isRemoved),
      },
    ],
  },
  {
    id: 'asks',
    title: 'Permissions',
    choices: [
      { id: 'camera', title: 'camera', holds: asks('CAMERA') },
      { id: 'microphone', title: 'microphone', holds: asks('RECORD_AUDIO') },
      { id: 'place', title: 'location', holds: asks('ACCESS_FINE_LOCATION', 'ACCESS_COARSE_LOCATION') },
      { id: 'people', title: 'contacts', holds: asks('READ_CONTACTS', 'WRITE_CONTACTS') },
      { id: 'messages', title: 'messages', holds: asks('READ_SMS', 'RECEIVE_SMS', 'SEND_SMS') },
    ],
  },
];

/** Choices by facet, as `kind:owner`. */
export type FacetPicks = ReadonlySet<string>;
export const facetKey = (facet: Facet, choice: { readonly id: string }): string => `${facet.id}:${choice.id}`;

export interface FilteredApps<App> {
  readonly shown: readonly App[];
  /** How many apps each choice would show, the other facets and the search as they are. */
  readonly counts: ReadonlyMap<string, number>;
  /** Apps that the search or the facets hide. */
  readonly hidden: number;
  /** Apps that were set aside, and are not shown for that alone. */
  readonly aside: number;
}

/**
 * Which apps a search and some facets leave, and how many each choice of a facet would.
 * @param withAside shows also what was set aside
 */
export function filterApps<App extends ListedApp>(
  apps: readonly App[],
  search: string,
  picks: FacetPicks,
  withAside = false,
): FilteredApps<App> {
  const words = search.toLowerCase().split(/\s+/).filter(Boolean);
  const inSight = withAside ? apps : apps.filter(({ isAside }) => !isAside);
  const found = inSight.filter((app) => {
    const text = `${app.label} ${app.package}`.toLowerCase();
    return words.every((word) => text.includes(word));
  });
  const isLeftBy = (facet: Facet) => {
    const chosen = facet.choices.filter((choice) => picks.has(facetKey(facet, choice)));
    return (app: ListedApp) => chosen.length === 0 || chosen.some(({ holds }) => holds(app));
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
  return { shown, counts, hidden: inSight.length - shown.length, aside: apps.length - inSight.length };
}

export const appOrders = ['label', 'package', 'version', 'program', 'data', 'updated', 'copied'] as const;
export type AppOrder = (typeof appOrders)[number];

const compare: Readonly<Record<AppOrder, (a: ListedApp, b: ListedApp) => number>> = {
  label: (a, b) => collator.compare(a.label, b.label),
  package: (a, b) => (a.package < b.package ? -1 : 1),
  version: (a, b) => knownOf(a).versionCode - knownOf(b).versionCode,
  program: (a, b) => (a.installed?.programBytes ?? 0) - (b.installed?.programBytes ?? 0),
  data: (a, b) => (a.installed?.dataBytes ?? 0) - (b.installed?.dataBytes ?? 0),
  updated: (a, b) => collator.compare(a.installed?.lastUpdated ?? '', b.installed?.lastUpdated ?? ''),
  copied: (a, b) => (a.copies[0]?.createdAt ?? 0) - (b.copies[0]?.createdAt ?? 0),
};

const collator = new Intl.Collator('en', { numeric: true });

/** In an order, those that are alike by their labels. */
export const sortApps = <App extends ListedApp>(
  apps: readonly App[],
  order: AppOrder,
  descending: boolean,
): App[] => [...apps].sort((a, b) => compare[order](a, b) * (descending ? -1 : 1) || compare.label(a, b));
