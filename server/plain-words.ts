/** What this computer's file system refuses, and what to do, by its error codes (POSIX, errno.h). */
const refusals: Readonly<Record<string, string>> = {
  ENOSPC: 'The disk is full. Free some space, then start again.',
  EDQUOT: 'This user’s share of the disk is used up. Free some space, then start again.',
  EACCES: 'This program may not write there. Change the folder’s permissions or choose another one.',
  EPERM: 'This program may not write there. Change the folder’s permissions or choose another one.',
  EROFS: 'The disk can only be read. Choose another one.',
  EIO: 'The disk reports an error of its own: it may be failing. Copy what is on it to another one.',
  EMFILE: 'Too many files are open. End other programs, then start again.',
};

/** An error's message for reading: the file system's refusals in words, with the path where there is one. */
export function plainWords(error: unknown): string {
  if (!(error instanceof Error)) return String(error);
  const { code, path } = error as NodeJS.ErrnoException;
  const words = code ? refusals[code] : undefined;
  return words ? `${words}${path ? ` (${path})` : ''}` : error.message;
}
