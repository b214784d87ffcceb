/** Shorter passphrases are guessed. */
export const leastPassphrase = 12;
