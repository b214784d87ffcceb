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

const setUid = 0o4000;
const permissionBits = 0o7777;

/**
 * Judges the entries of one archive in their order, and says what each is to be on the phone that it goes to:
 * owners and labels of the app there. What would leave the app's folder, by its name or by a link before it,
 * is refused.
 */
export class EntryPlacer {
  private readonly links = new Set<string>();
  private readonly files = new Set<string>();

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
    const path = this.pathOf(entry.path, 'it');
    let { target } = entry;
    if (entry.type === 'link') {
      target = this.pathOf(target ?? '', `what ${entry.path} links to`);
      if (!this.files.has(target)) throw new UnsafeEntry(`${entry.path} links to what is not in the archive`);
    } else if (entry.type === 'symlink') {
      this.links.add(path);
    } else if (entry.type === 'file') {
      this.files.add(path);
    } else if (entry.type !== 'directory') {
      throw new UnsafeEntry(`${entry.path} is neither a file nor a folder but a ${entry.type}`);
    }
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

  /** Without `./` before it and `/` behind it. */
  private pathOf(path: string, what: string): string {
    const plain = path.replace(/^(?:\.\/+)+/, '').replace(/\/+$/, '');
    if (plain === '.' || plain === '') return '.';
    const steps = plain.split('/');
    if (plain.startsWith('/') || steps.some((step) => step === '..' || step === '' || step.includes('\0')))
      throw new UnsafeEntry(`${what}: ${path} leaves the app’s folder`);
    for (let depth = 1; depth < steps.length; depth++) {
      const above = steps.slice(0, depth).join('/');
      if (this.links.has(above)) throw new UnsafeEntry(`${path} lies behind the link ${above}`);
    }
    if (this.links.has(plain)) throw new UnsafeEntry(`${path} comes after a link of the same name`);
    return plain;
  }
}

/** Of an app's own files; what runs as the system keeps its own id. */
export const ownId = ({ user, appId }: AppPlace): number =>
  isAppId(appId) ? uidOf(user, appId) : user * 100_000 + appId;
