import type { Condition } from './facts.ts';

/** What would open a phone that gives no root, in the order in which somebody would try it, a sentence each. */
export const stepsToOpen = ({ bootloaderUnlocked, encrypted }: Partial<Condition>): string[] => [
  bootloaderUnlocked
    ? 'The bootloader is unlocked: a recovery that gives root can be flashed from bootloader mode, and then reads all of it.'
    : 'Unlocking the bootloader wipes user data. Keep first what is above.',
  ...(encrypted
    ? [
        'User data is encrypted: a recovery that cannot decrypt it reads ciphertext, which goes back to this phone alone.',
      ]
    : []),
  'Loader mode, where the processor has one, reads a locked phone as well.',
];
