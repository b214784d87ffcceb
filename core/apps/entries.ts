import { appIdOf, isAppId, remapId, remapLabel, uidOf, type AppPlace } from './ids.ts';

/** An entry of an archive of an app's files. */
export interface AppEntry {
  readonly path: string;
  /** As tar has it; devices and pipes are other types. */
  readonly type: string;
  /** Of a symbolic or a hard link. */
  readonly target?: string | undefined;
  readonly uid: number;
  readonly gid: number;
  readonly mode: number;
  readonly label?: string | undefined;
}

/** An archive that does not stay within the folder it is for. */
export class UnsafeEntry extends Error {
  override readonly name = 'UnsafeEntry';
}

/**
 * Judges the names of one archive's entries in their order: what would leave the folder that it is for, by its name or by a link
 * before it, is refused.
 */
export class FolderJudge {
  private readonly links = new Set<string>();
  private readonly files = new Set<string>();

  /** @param folder in words: `the app’s folder` */
  constructor(private readonly folder: string) {}

  /** Where an entry lies within the folder, and what it links to. @throws UnsafeEntry naming the entry */
  judge({ path, type, target }: Pick<AppEntry, 'path' | 'type' | 'target'>): {
    readonly path: string;
    readonly target?: string;
  } {
    const own = this.pathOf(path, 'it');
    if (type === 'link') {
      const linked = this.pathOf(target ?? '', `what ${path} links to`);
      if (!this.files.has(linked)) throw new UnsafeEntry(`${path} links to what is not in the archive`);
      return { path: own, target: linked };
    }
    if (type === 'symlink') this.links.add(own);
    else if (type === 'file') this.files.add(own);
    else if (type !== 'directory')
      throw new UnsafeEntry(`${path} is neither a file nor a folder but a ${type}`);
    return { path: own, ...(target !== undefined && { target }) };
  }

  /** Without `./` before it and `/` behind it. */
  private pathOf(path: string, what: string): string {
    const plain = path.replace(/^(?:\.\/+)+/, '').replace(/\/+$/, '');
    if (plain === '.' || plain === '') return '.';
    const steps = plain.split('/');
    if (plain.startsWith('/') || steps.some((step) => step === '..' || step === '' || step.includes('\0')))
      throw new UnsafeEntry(`${what}: ${path} leaves ${this.folder}`);
    for (let depth = 1; depth < steps.length; depth++) {
      const above = steps.slice(0, depth).join('/');
      if (this.links.has(above)) throw new UnsafeEntry(`${path} lies behind the link ${above}`);
    }
    if (this.links.has(plain)) throw new UnsafeEntry(`${path} comes after a link of the same name`);
    return plain;
  }
}

const setUid = 0o4000;
const permissionBits = 0o7777;

/**
 * Judges the entries of one archive in their order, and says what each is to be on the phone that it goes to:
 * owners and labels of the app there. What would leave the app's folder, by its name or by a link before it,
 * is refused.
 */
export class EntryPlacer {
  private readonly folder = new FolderJudge('the app’s folder');

  /**
   * @param label of what has none; undefined where labels are not told
   * @param owners who else may own files there, such as the service that hands out shared storage
   */
  constructor(
    private readonly from: AppPlace,
    private readonly to: AppPlace,
    private readonly label: string | undefined,
    private readonly owners: readonly number[] = [],
  ) {}

  /** @throws UnsafeEntry naming the entry */
  place(entry: AppEntry): AppEntry {
    const { path, target } = this.folder.judge(entry);
    return {
      path,
      type: entry.type,
      ...(target !== undefined && { target }),
      uid: this.ownerOf(entry.uid),
      gid: this.ownerOf(entry.gid),
      mode: entry.mode & permissionBits & ~setUid,
      ...this.labelOf(entry.label),
    };
  }

  private labelOf(label: string | undefined): { label?: string } {
    const next = label === undefined ? this.label : remapLabel(label, this.to);
    return next === undefined ? {} : { label: next };
  }

  /** Whatever is not the app's becomes its own: nothing in its folder is anybody else's. */
  private ownerOf(id: number): number {
    if (this.owners.includes(id)) return id;
    const next = remapId(id, this.from, this.to);
    const range = Math.floor(appIdOf(next) / 10_000);
    const belongs = range >= 1 && appIdOf(next) % 10_000 === this.to.appId % 10_000;
    return belongs ? next : ownId(this.to);
  }
}

/** Of an app's own files; what runs as the system keeps its own id. */
export const ownId = ({ user, appId }: AppPlace): number =>
  isAppId(appId) ? uidOf(user, appId) : user * 100_000 + appId;
