import type { KeptView, SinceView } from '@keen-larder/contract/bench.ts';
import { archives } from '@keen-larder/core/phone/archives.ts';
import type { PartitionFacts } from '@keen-larder/core/phone/facts.ts';
import type { DigestRow } from '../database/digests.ts';
import type { PartitionAccess, PhoneLink, SharedFiles } from '../links/phone-link.ts';

/** Partitions, and what of user data can be kept as files. */
async function listAll(link: PhoneLink, access: PartitionAccess): Promise<PartitionFacts[]> {
  const partitions = await access.list();
  const userData = partitions.find(({ name }) => name === 'userdata');
  if (!userData || !(await link.files?.ready().catch(() => false))) return partitions;
  const { usedBytes } = userData;
  const files = archives.map(({ name, role }): PartitionFacts => ({
    name,
    role,
    bytes: usedBytes ?? userData.bytes,
    fileSystem: 'files',
    archive: true,
    mount: { at: '/data', writable: link.mode === 'system' },
  }));
  return [...partitions, ...files].sort((a, b) => (a.name < b.name ? -1 : 1));
}

/** What a system without root shares: files alone. */
async function listShared(shared: SharedFiles): Promise<PartitionFacts[]> {
  if (!(await shared.ready())) return [];
  const bytes = (await shared.bytes()) ?? 0;
  return archives
    .filter(({ folderWithoutRoot }) => folderWithoutRoot === shared.folder)
    .map(({ name, role }): PartitionFacts => ({
      ...{ name, role, bytes, fileSystem: 'files', archive: true },
      mount: { at: shared.folder, writable: true },
    }));
}

/**
 * What a digest says of a partition since it was kept: nothing when it is of that time or older; that it
 * changed, for good; that it did not, only while the phone has not been started anew.
 */
export function sinceKept(kept: KeptView, digest: DigestRow, upSince: number): SinceView | undefined {
  if (digest.at <= kept.at) return undefined;
  const changed = digest.sha256.toString('hex') !== kept.sha256;
  return changed || digest.at >= upSince ? { at: digest.at, changed } : undefined;
}

/** What links list of their phones, read once for each time that one comes up. */
export class PartitionLists {
  private readonly all = new WeakMap<PhoneLink, Promise<PartitionFacts[]>>();
  private readonly within = new WeakMap<PhoneLink, Promise<PartitionFacts[]>>();

  /** Partitions, and files that are kept as archives. @throws Problem 409 when the mode gives no access */
  of(link: PhoneLink, access: () => PartitionAccess): Promise<PartitionFacts[]> {
    return once(this.all, link, () => (link.shared ? listShared(link.shared) : listAll(link, access())));
  }

  /** Logical partitions within others. */
  logicalOf(link: PhoneLink): Promise<PartitionFacts[]> {
    return once(this.within, link, () => link.partitions?.logical?.() ?? Promise.resolve([]));
  }

  forget(link: PhoneLink): void {
    this.all.delete(link);
    this.within.delete(link);
  }
}

/** What failed is tried anew. */
function once<T>(known: WeakMap<PhoneLink, Promise<T>>, link: PhoneLink, read: () => Promise<T>): Promise<T> {
  const reading = known.get(link) ?? read();
  known.set(link, reading);
  reading.catch(() => known.delete(link));
  return reading;
}
