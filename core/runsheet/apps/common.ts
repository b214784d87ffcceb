import type { PartKind } from '../../apps/copies.ts';
import type { PhoneFacts } from '../../phone/facts.ts';
import { listText, stop, type Check } from '../check.ts';

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

/** Of a phone whose system gives no root, recovery may, unless its user data is encrypted. */
export function rootForData(phone: PhoneFacts, withData: boolean, through: 'recovery' | undefined): Check[] {
  if (!withData || phone.mode !== 'system' || phone.root) return [];
  const { encrypted, bootloaderUnlocked } = phone.condition;
  if (encrypted || !bootloaderUnlocked) {
    return stop(
      'needs-root',
      'Data of apps needs root',
      `This phone is not rooted, and ${encrypted ? 'its user data is encrypted' : 'its bootloader is locked'}: only programs can go. Leave the data out.`,
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
        'Data is put in place in recovery, since the system gives no root; then the system starts again.',
    },
  ];
}
