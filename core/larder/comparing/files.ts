/** A file, folder or link of a tree, as far as it is compared. */
export interface TreeEntry {
  /** Absolute. */
  readonly path: string;
  readonly kind: 'folder' | 'file' | 'link' | 'other';
  readonly bytes: number;
  /** Permission bits. */
  readonly mode: number;
  readonly uid: number;
  readonly gid: number;
  readonly modifiedAt: number;
  readonly linkTarget: string | undefined;
  /** SELinux label. */
  readonly label: string | undefined;
  /** Why it cannot be read. */
  readonly fault: string | undefined;
}

/** What of an entry is another one. `time` alone says that it was written anew as it was. */
export type EntryChange = 'kind' | 'content' | 'owner' | 'mode' | 'label' | 'link' | 'time' | 'unreadable';

/** An entry that is not the same in both trees. */
export interface EntryDifference<E extends TreeEntry = TreeEntry> {
  readonly path: string;
  readonly before: E | undefined;
  readonly after: E | undefined;
  /** Empty where only one of them has it. */
  readonly changes: readonly EntryChange[];
}

/** What tells about contents; it may have to read them. */
export interface Contents<E extends TreeEntry> {
  isSame(before: E, after: E): Promise<boolean>;
}

/** Order in which trees are walked: names in order of their code units, a folder before what it holds. */
export const walkOrder = (a: string, b: string): number => {
  const [x, y] = [a.replaceAll('/', '\0'), b.replaceAll('/', '\0')];
  return x < y ? -1 : x > y ? 1 : 0;
};

/**
 * What differs between two trees.
 * @param before its entries in `walkOrder`
 * @param after as `before`
 */
export async function* differingEntries<E extends TreeEntry>(
  before: AsyncIterable<E>,
  after: AsyncIterable<E>,
  contents: Contents<E>,
): AsyncGenerator<EntryDifference<E>> {
  const [a, b] = [before[Symbol.asyncIterator](), after[Symbol.asyncIterator]()];
  const next = async (entries: AsyncIterator<E>) => {
    const item = await entries.next();
    return item.done ? undefined : item.value;
  };
  try {
    let [left, right] = [await next(a), await next(b)];
    while (left || right) {
      const order = !left ? 1 : !right ? -1 : walkOrder(left.path, right.path);
      if (order < 0) {
        yield { path: left!.path, before: left, after: undefined, changes: [] };
        left = await next(a);
      } else if (order > 0) {
        yield { path: right!.path, before: undefined, after: right, changes: [] };
        right = await next(b);
      } else {
        const changes = await changesOf(left!, right!, contents);
        if (changes.length > 0) yield { path: left!.path, before: left, after: right, changes };
        left = await next(a);
        right = await next(b);
      }
    }
  } finally {
    await a.return?.();
    await b.return?.();
  }
}

async function changesOf<E extends TreeEntry>(
  before: E,
  after: E,
  contents: Contents<E>,
): Promise<EntryChange[]> {
  if (before.fault !== undefined || after.fault !== undefined)
    return before.fault === after.fault ? [] : ['unreadable'];
  if (before.kind !== after.kind) return ['kind'];
  const changes: EntryChange[] = [];
  if (before.kind === 'file' && (before.bytes !== after.bytes || !(await contents.isSame(before, after))))
    changes.push('content');
  if (before.kind === 'link' && before.linkTarget !== after.linkTarget) changes.push('link');
  if (before.uid !== after.uid || before.gid !== after.gid) changes.push('owner');
  if (before.mode !== after.mode) changes.push('mode');
  if (before.label !== after.label) changes.push('label');
  // A folder is written when something in it comes or goes, which is told there.
  if (before.kind !== 'folder' && before.modifiedAt !== after.modifiedAt) changes.push('time');
  return changes;
}
