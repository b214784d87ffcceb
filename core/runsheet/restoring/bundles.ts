import { isNeverWritten, type Role } from '../../phone/roles.ts';

/** Images of a set that are usually put back together. */
export interface Bundle {
  readonly name: string;
  /** Partitions. */
  readonly picked: readonly string[];
}

interface BundledImage {
  readonly partition: string;
  readonly role: Role;
  readonly kind: 'block' | 'archive';
}

/** The usual picks of a set that is put back; partitions that are never written are in none. */
export function bundlesOf(images: readonly BundledImage[]): Bundle[] {
  const blocks = images.filter(({ partition, kind }) => kind === 'block' && !isNeverWritten(partition));
  const names = (wanted: (role: Role, name: string) => boolean) =>
    blocks.filter(({ role, partition }) => wanted(role, partition)).map(({ partition }) => partition);
  const archives = images.filter(({ kind }) => kind === 'archive').map(({ partition }) => partition);
  return [
    { name: 'Boot and system', picked: names((role, name) => role === 'system' || name === 'boot') },
    { name: 'Boot chain', picked: names((role) => role === 'boot-chain') },
    { name: 'All but user data', picked: names((role) => role !== 'user-data' && role !== 'scratch') },
    { name: 'Everything', picked: names(() => true) },
    { name: 'Files', picked: archives },
  ].filter(({ picked }) => picked.length > 0);
}
