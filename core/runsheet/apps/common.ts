import type { PartKind } from '../../apps/copies.ts';
import type { PhoneFacts } from '../../phone/facts.ts';
import { listText, stop, type Check } from '../check.ts';
import type { ThroughWhat } from './facts.ts';

/** What every app costs besides its bytes: it is stopped, asked for, compared (from memory). */
export const msForEachApp = 400;

export const isData = (part: PartKind): boolean => part !== 'program';

const named = 4;

/** A few of many apps by what people call them, for a sentence. */
export function labelsOf(apps: readonly { readonly app: { readonly label: string } }[]): string {
  const labels = apps.map(({ app }) => app.label);
  const more = labels.length - named;
  return listText(more > 1 ? [...labels.slice(0, named), `${more} more`] : labels);
}

export const inSystem = ({ phone }: { readonly phone: PhoneFacts }): Check[] =>
  phone.mode === 'system'
    ? []
    : stop('mode-has-no-apps', 'Apps need the running system', 'Restart the phone into system.', {
        do: 'restart',
        into: 'system',
      });

/**
 * Of a phone whose system gives no root, recovery may, unless its user data is encrypted; and any takes back what is a backup of
 * its own.
 */
export function rootForData(phone: PhoneFacts, withData: boolean, through: ThroughWhat | undefined): Check[] {
  if (!withData || phone.mode !== 'system' || phone.root) return [];
  const { encrypted, bootloaderUnlocked } = phone.condition;
  const hasRecovery = !encrypted && bootloaderUnlocked;
  if (through === 'backup') {
    return [
      {
        id: 'through-backup',
        severity: 'note',
        title: 'The phone asks on its screen, twice',
        sentence:
          'It takes the data as a backup of its own, and then gives it once more, to be compared with the copies. Unlock its screen; each time it asks, agree within a minute, without a password unless one is told below. Caches, keys, what is marked as for no backup, and shared pictures and sounds do not go.',
      },
    ];
  }
  if (!hasRecovery) {
    return stop(
      'needs-root',
      'Data of apps needs root',
      `This phone is not rooted, and ${encrypted ? 'its user data is encrypted' : 'its bootloader is locked'}: it may take the data back as a backup of its own, or the data is left out.`,
      { do: 'through-backup' },
    );
  }
  if (!through) {
    return stop(
      'needs-root',
      'Data of apps needs root',
      'This phone is not rooted, but its recovery may write its user data: programs are installed first, then data is put in place there.',
      { do: 'through-recovery' },
    );
  }
  return [
    {
      id: 'through-recovery',
      severity: 'note',
      title: 'The phone restarts twice',
      sentence:
        'Data is put in place in recovery, since the system gives no root; then the system starts again. A recovery without root cannot do it: the phone may take the data back as a backup of its own.',
      mend: { do: 'through-backup' },
    },
  ];
}
