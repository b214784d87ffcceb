/** An app within user data, as far as it is compared. */
export interface ComparedApp {
  readonly package: string;
  readonly label: string;
  readonly versionCode: number;
  readonly versionName?: string | undefined;
  /** Permissions that it had been granted; undefined where that is not told. */
  readonly granted: ReadonlySet<string> | undefined;
  /** Its data's folders, absolute in the tree that is compared. */
  readonly folders: readonly string[];
}

type AppVersion = Pick<ComparedApp, 'versionCode' | 'versionName'>;

/** An app that is not the same on both sides. */
export interface AppDifference {
  readonly package: string;
  readonly label: string;
  readonly state: 'added' | 'gone' | 'changed';
  readonly before: AppVersion | undefined;
  readonly after: AppVersion | undefined;
  /** Permissions that only the second side has granted; empty where one side does not tell. */
  readonly gained: readonly string[];
  readonly lost: readonly string[];
  /** Files and folders of its data that are not the same. */
  readonly changedFiles: number;
}

/**
 * What differs between the apps of two user datas, by package.
 * @param differing absolute paths that are not the same in both trees
 */
export function compareApps(
  before: readonly ComparedApp[],
  after: readonly ComparedApp[],
  differing: Iterable<string>,
): AppDifference[] {
  const [was, is] = [byPackage(before), byPackage(after)];
  const ownerOf = new Map<string, string>();
  for (const { package: name, folders } of [...before, ...after])
    for (const folder of folders) ownerOf.set(folder, name);
  const changed = new Map<string, number>();
  for (const path of differing) {
    const owner = ownerAbove(path, ownerOf);
    if (owner !== undefined) changed.set(owner, (changed.get(owner) ?? 0) + 1);
  }
  const names = [...new Set([...was.keys(), ...is.keys()])].sort();
  return names.flatMap((name): AppDifference[] => {
    const [a, b] = [was.get(name), is.get(name)];
    const changedFiles = changed.get(name) ?? 0;
    const [gained, lost] =
      a?.granted && b?.granted ? [less(b.granted, a.granted), less(a.granted, b.granted)] : [[], []];
    const state = !a ? 'added' : !b ? 'gone' : 'changed';
    const isSame =
      a && b && a.versionCode === b.versionCode && changedFiles + gained.length + lost.length === 0;
    if (isSame) return [];
    const { label } = (b ?? a)!;
    return [
      {
        package: name,
        label,
        state,
        before: a && versionOf(a),
        after: b && versionOf(b),
        gained,
        lost,
        changedFiles,
      },
    ];
  });
}

const byPackage = (apps: readonly ComparedApp[]) => new Map(apps.map((app) => [app.package, app]));
const less = (a: ReadonlySet<string>, b: ReadonlySet<string>): string[] =>
  [...a].filter((each) => !b.has(each)).sort();
const versionOf = ({ versionCode, versionName }: ComparedApp): AppVersion => ({ versionCode, versionName });

/** The package whose folder a path is, or lies in. */
function ownerAbove(path: string, ownerOf: ReadonlyMap<string, string>): string | undefined {
  for (let end = path.length; end > 0; end = path.lastIndexOf('/', end - 1)) {
    const owner = ownerOf.get(path.slice(0, end));
    if (owner !== undefined) return owner;
  }
  return undefined;
}
