import type { Logger } from 'pino';
import type { OffsiteCopies } from '../../offsite/offsite-copies.ts';
import type { Larder } from '../larder.ts';
import { Scrubber, type ScrubberParts } from './scrubber.ts';

type Parts = Omit<ScrubberParts, 'repair' | 'onDamage' | 'days'> & {
  readonly larder: Pick<Larder, 'whileWriting'>;
  readonly offsite: Pick<OffsiteCopies, 'isOpen' | 'repair'>;
  readonly log: Logger;
  readonly days: number | undefined;
  /** Sets and copies are not as they were listed before. */
  readonly onDamage: () => void;
};

/** Reads the shelf again and repairs it from off-site, where that is open; the log says what was found. */
export function scrubberOf({ larder, offsite, log, days, onDamage, ...parts }: Parts): Scrubber {
  return new Scrubber({
    ...parts,
    repair: (digests) =>
      offsite.isOpen ? larder.whileWriting(() => offsite.repair(digests)) : Promise.resolve(0),
    onDamage(names, repaired, fault) {
      const next = repaired ? 'It was repaired from off-site.' : 'Image the phone again while it is at hand.';
      if (fault) log.error(`It could not be repaired from off-site: ${fault}`);
      log.error(`Damaged on the shelf: ${names.join(', ')}. ${next}`);
      onDamage();
    },
    ...(days !== undefined && { days }),
  });
}
