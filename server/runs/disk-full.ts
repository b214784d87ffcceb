export const isDiskFull = (error: unknown): boolean =>
  ['ENOSPC', 'EDQUOT'].includes((error as NodeJS.ErrnoException).code ?? '');

/** @param kept what is not lost */
export const diskFullText = (kept: string): string =>
  `The disk of the shelf is full. ${kept}: free some space, then go on.`;
