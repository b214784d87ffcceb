import type { PartitionFacts, PhoneFacts } from '../phone/facts.ts';
import { stop, type Check } from './check.ts';

/** Says by what images are proved, where that is less than the phone's own SHA-256. */
export function weakerProof({ proof }: PhoneFacts): Check[] {
  if (proof === undefined || proof === 'sha256') return [];
  const about =
    proof === 'md5'
      ? {
          title: 'The phone proves by MD5',
          sentence:
            'Its tools compute no SHA-256. Partitions are compared by MD5, which finds faults of cable and flash; files by reading them a second time.',
        }
      : {
          title: 'The phone computes no digests',
          sentence:
            'What is read or written is read a second time and compared. That takes as long again, and what its flash gives wrong both times is not noticed.',
        };
  return [{ id: 'weaker-proof', severity: 'note', ...about }];
}

/** Stops where archives of files are wanted of a phone that was found to have no tar; says when labels stay behind. */
export function archiveTools({ tools }: PhoneFacts, hasArchives: boolean): Check[] {
  if (!hasArchives || !tools) return [];
  if (!tools.tar)
    return stop(
      'no-tar',
      'The phone has no tar',
      'Without it no files are packed or unpacked there. A recovery that has one would do, or the block image of userdata.',
    );
  if (tools.labels !== 'none') return [];
  return [
    {
      id: 'no-labels',
      severity: 'note',
      title: 'SELinux labels are not kept',
      sentence:
        'The phone’s tools tell none in this mode. Put back, files get the labels that the system gives them at its start, where it does.',
    },
  ];
}

/** What user data is made anew as: what it was, or ext4 where that cannot be told. */
export const userDataMadeAs = (partitions: readonly PartitionFacts[]): 'ext4' | 'f2fs' =>
  partitions.find(({ name }) => name === 'userdata')?.fileSystem === 'f2fs' ? 'f2fs' : 'ext4';

/** Stops where user data is to be made anew and the tool for it was not found. */
export function makerTools(
  { tools }: PhoneFacts,
  isFormatting: boolean,
  partitions: readonly PartitionFacts[],
): Check[] {
  if (!isFormatting || !tools) return [];
  const fileSystem = userDataMadeAs(partitions);
  if (fileSystem === 'ext4' ? tools.makesExt4 : tools.makesF2fs) return [];
  const [wanted, other] = fileSystem === 'ext4' ? ['mke2fs', 'make_f2fs'] : ['make_f2fs', 'mke2fs'];
  const hasOther = fileSystem === 'ext4' ? tools.makesF2fs : tools.makesExt4;
  return stop(
    'no-maker',
    'User data cannot be formatted here',
    `It is to be ${fileSystem}, and in this mode the phone has ${hasOther ? `${other} and no ${wanted}` : `neither ${wanted} nor ${other}`}. Format it in another recovery, or put the block image back.`,
  );
}
