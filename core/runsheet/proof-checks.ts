import type { PhoneFacts } from '../phone/facts.ts';
import type { Check } from './check.ts';

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
