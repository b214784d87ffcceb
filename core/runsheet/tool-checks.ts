import type { PhoneFacts } from '../phone/facts.ts';
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

/** Stops where user data is to be made anew and no tool for it was found. */
export function makerTools({ tools }: PhoneFacts, isFormatting: boolean): Check[] {
  if (!isFormatting || !tools || tools.makesExt4 || tools.makesF2fs) return [];
  return stop(
    'no-maker',
    'User data cannot be made anew here',
    'The phone has neither mke2fs nor make_f2fs in this mode. Format it in another recovery, or put the block image back.',
  );
}
