import type { SystemBuild } from '../firmware/builds.ts';

/** Builds that start; user data stays as it is. */
export const goodBuilds: readonly {
  readonly id: SystemBuild;
  readonly title: string;
  readonly sentence: string;
  /** Names of the models that it is for. */
  readonly models: readonly string[];
}[] = [
  {
    id: 'system-january',
    title: 'TideOS 9, January',
    sentence: 'TW3.260105.002 as the maker ships it: starts, gives no root.',
    models: ['Knot 3'],
  },
  {
    id: 'system-march',
    title: 'TideOS 9, March, rooted',
    sentence: 'TW3.260301.004 with root, as the workshop sets it up.',
    models: ['Knot 3'],
  },
  {
    id: 'system-estuary',
    title: 'Estuary 10',
    sentence: 'EST10.260620 of the community, with keys that everybody has: starts, gives root.',
    models: ['Knot 3'],
  },
];
