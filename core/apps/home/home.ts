/**
 * What ties an app to its phone besides its program, its data and its permissions, as the phone had it when the app was copied. What is
 * undefined was not told: there was no root, or that Android has nothing of the kind.
 */
export interface AppHome {
  /** Operations that somebody allowed or forbade it, with their modes: `{ CAMERA: 'ignore' }`. Those at their default are missing. */
  readonly ops?: Readonly<Record<string, string>> | undefined;
  /** The id that Android gave this app alone; 16 hexadecimal digits since Android 8. */
  readonly androidId?: string | undefined;
  /** In short: `HOME`, `SMS`. */
  readonly roles?: readonly string[] | undefined;
  /** Components that read notifications. */
  readonly listeners?: readonly string[] | undefined;
  /** Components that see and operate the screen. */
  readonly accessibility?: readonly string[] | undefined;
  /** It may run while the phone sleeps. */
  readonly isExempt?: boolean | undefined;
  /** The store that alone may update it, unasked (Android 14). */
  readonly updateOwner?: string | undefined;
  /** BCP 47, with commas between (Android 13). */
  readonly languages?: string | undefined;
  /** On the home screen. */
  readonly widgets?: number | undefined;
}

/** Each has its row, in this order. */
export const homeKinds = [
  'store',
  'update-owner',
  'android-id',
  'roles',
  'ops',
  'listeners',
  'accessibility',
  'exempt',
  'languages',
  'widgets',
] as const;
export type HomeKind = (typeof homeKinds)[number];

export const homeTitles: Readonly<Record<HomeKind, string>> = {
  store: 'Store it came from',
  'update-owner': 'Store that alone updates it',
  'android-id': 'Android id of its own',
  roles: 'Default app',
  ops: 'Allowed or forbidden by hand',
  listeners: 'Reads notifications',
  accessibility: 'Accessibility service',
  exempt: 'Spared by the battery saver',
  languages: 'Language of its own',
  widgets: 'Widgets',
};

/** `comes-back` as it was; `with-restart` where it is wanted; `cannot`; `unknown` where the copy does not tell. */
export type HomeState = 'comes-back' | 'with-restart' | 'cannot' | 'unknown';

export interface HomeRow {
  readonly kind: HomeKind;
  /** As it was; empty where it had nothing of the kind. */
  readonly was: string;
  readonly state: HomeState;
  /** Why, where it does not simply come back. */
  readonly why: string;
}

/** The phone that an app goes to. */
export interface HomePlace {
  /** Android's API level; undefined where it is not told. */
  readonly sdk: number | undefined;
  readonly root: boolean;
}

/** From this API level on there are, in this order, roles, languages of apps, and owners of updates (AOSP). */
export const rolesFrom = 29;
export const languagesFrom = 33;
export const updateOwnersFrom = 34;
/** What a phone without roles has commands for (from memory: `telecom`, and the setting of the default app for messages). */
export const rolesBefore: readonly string[] = ['DIALER', 'SMS'];

const opText = (ops: Readonly<Record<string, string>>) =>
  Object.entries(ops)
    .map(([name, mode]) => `${name}: ${mode}`)
    .join(', ');
const shortOf = (components: readonly string[]) =>
  components.map((each) => each.split('/').at(-1)).join(', ');

/** What an app had of one kind; undefined where its copy does not tell, empty where it had nothing. */
function wasOf(
  kind: HomeKind,
  { installer, home }: { readonly installer?: string | undefined; readonly home?: AppHome | undefined },
): string | undefined {
  switch (kind) {
    case 'store':
      return installer ?? '';
    case 'update-owner':
      return home && (home.updateOwner ?? '');
    case 'android-id':
      return home?.androidId;
    case 'roles':
      return home?.roles?.join(', ');
    case 'ops':
      return home?.ops && opText(home.ops);
    case 'listeners':
      return home?.listeners && shortOf(home.listeners);
    case 'accessibility':
      return home?.accessibility && shortOf(home.accessibility);
    case 'exempt':
      return home?.isExempt === undefined ? undefined : home.isExempt ? 'yes' : '';
    case 'languages':
      return home?.languages;
    case 'widgets':
      return home?.widgets === undefined ? undefined : home.widgets > 0 ? String(home.widgets) : '';
  }
}

/** What becomes of each thing on a phone. */
function fateOf(kind: HomeKind, was: string, { sdk, root }: HomePlace): Omit<HomeRow, 'kind' | 'was'> {
  const comes = { state: 'comes-back', why: '' } as const;
  const before = (level: number) => sdk !== undefined && sdk < level;
  switch (kind) {
    case 'android-id':
      return root
        ? { state: 'with-restart', why: 'Android reads it as it starts: the phone restarts at the end.' }
        : { state: 'cannot', why: 'Only root writes it: the app is taken for newly installed.' };
    case 'roles': {
      const others = was.split(', ').filter((role) => !rolesBefore.includes(role));
      return before(rolesFrom) && others.length > 0
        ? {
            state: 'cannot',
            why: `This Android has no command for ${others.join(' and ')}: choose it there.`,
          }
        : comes;
    }
    case 'languages':
      return before(languagesFrom)
        ? { state: 'cannot', why: 'Apps have languages since Android 13.' }
        : comes;
    case 'update-owner':
      return before(updateOwnersFrom)
        ? { state: 'cannot', why: 'Stores own updates since Android 14.' }
        : { ...comes, why: 'With its program.' };
    case 'store':
      return { ...comes, why: 'With its program.' };
    case 'widgets':
      return {
        state: 'cannot',
        why: 'They come with the home screen, which is among the records; or place them anew.',
      };
    default:
      return comes;
  }
}

/** What ties an app to its phone, row by row: what comes back on another, what cannot, and what is not known. */
export function homeRows(
  app: { readonly installer?: string | undefined; readonly home?: AppHome | undefined },
  place: HomePlace,
): HomeRow[] {
  return homeKinds.map((kind): HomeRow => {
    const was = wasOf(kind, app);
    if (was === undefined) return { kind, was: '', state: 'unknown', why: 'Its copy does not tell.' };
    if (was === '') return { kind, was, state: 'comes-back', why: '' };
    return { kind, was, ...fateOf(kind, was, place) };
  });
}

/** Those that are worth a line: what it had, and what is not known. */
export const toldRows = (rows: readonly HomeRow[]): HomeRow[] =>
  rows.filter(({ was, state }) => was !== '' || state === 'unknown');
