import type { ProblemDetails } from '@keen-larder/contract/problem.ts';
import { UnsafeEntry } from '@keen-larder/core/apps/entries.ts';
import { FormatError } from '@keen-larder/core/bytes/format-error.ts';
import { durationText } from '@keen-larder/core/bytes/units.ts';
import type { Check } from '@keen-larder/core/runsheet/run-sheets.ts';

/** An error that is told to whoever asked; `detail` says what is wrong and what to do. */
export class Problem extends Error {
  override readonly name = 'Problem';

  constructor(
    readonly status: number,
    readonly detail: string,
    readonly obstacles?: readonly Check[],
    /** Left out for what its status says. */
    readonly title?: string,
  ) {
    super(detail);
  }

  /** The answer's body (RFC 9457). */
  toJSON(): ProblemDetails {
    return {
      type: 'about:blank',
      title: this.title ?? (this.obstacles ? 'The run cannot start' : (titles[this.status] ?? 'Error')),
      status: this.status,
      detail: this.detail,
      ...(this.obstacles && { obstacles: this.obstacles }),
    };
  }
}

const titles: Readonly<Record<number, string>> = {
  400: 'The request makes no sense',
  401: 'The key is missing',
  403: 'Not allowed',
  404: 'Not found',
  409: 'Not possible now',
  413: 'Too large',
  422: 'Not possible like this',
  500: 'Something went wrong in Keen Larder',
  502: 'The phone did not do it',
  503: 'The shelf is not to be used now',
  507: 'No space',
};

/** A phone did not do what it was to do; the message says why and what to do. */
export abstract class PhoneFailure extends Error {}

/** The way to the phone broke, or what it carries makes no sense. */
export class LinkFailure extends PhoneFailure {
  override readonly name: string = 'LinkFailure';
}

/** Nothing listens at an address. */
export class NobodyThere extends LinkFailure {
  override readonly name = 'NobodyThere';
}

/** The phone is connected and gives no sign of life. */
export class PhoneSilent extends LinkFailure {
  override readonly name = 'PhoneSilent';

  /** @param limitMs for so long it was waited */
  constructor(readonly limitMs: number) {
    super(`The phone has sent nothing for ${durationText(limitMs)}.`);
  }
}

/** The phone answered, and would not or cannot do it; the message has its own words. */
export class PhoneRefusal extends PhoneFailure {
  override readonly name = 'PhoneRefusal';

  /** @param words the phone's own, where it said some */
  constructor(
    message: string,
    readonly words: string = '',
  ) {
    super(message);
  }
}

/** The phone cannot read or write its own flash somewhere in what was asked for. */
export class FlashFailure extends PhoneFailure {
  override readonly name = 'FlashFailure';
}

/** Stored bytes that are not what they were; the message says where. */
export class DamagedImage extends Error {
  override readonly name = 'DamagedImage';
}

/** The shelf is not there, or its disk does not keep what it is given; the message says which and what to do. */
export class ShelfFailure extends Error {
  override readonly name = 'ShelfFailure';
}

/** A bucket off-site did not do what it was to do; the message says which and what to do. */
export class BucketFailure extends Error {
  override readonly name = 'BucketFailure';
}

/** What is sealed cannot be opened; the message says why. */
export class SealFailure extends Error {
  override readonly name = 'SealFailure';

  /** @param what is wrong: the secret, the format, what is sealed was cut off, or is not as it was sealed */
  constructor(
    readonly what: 'secret' | 'format' | 'cut' | 'changed',
    message: string,
  ) {
    super(message);
  }
}

/** @param what was written, or is wrong with it */
export const notAsWritten = (what: string): ShelfFailure =>
  new ShelfFailure(
    `What was written to ${what} does not read back as it was. The disk may be failing: copy the larder to another one.`,
  );

/** A run that cannot reach its end; the message says why and what to do. */
export class RunFailure extends Error {
  override readonly name: string = 'RunFailure';
}

/** Whoever gives an image gives more than it is long. */
export class MoreThanAsked extends RunFailure {
  constructor(bytes: number) {
    super(
      `More came than the ${bytes} bytes that there are. Nothing was kept. Read the partitions again, then start again.`,
    );
  }
}

/** A run that did not reach its end, though it can go on later from where it is. */
export class Interruption extends RunFailure {
  override readonly name = 'Interruption';
}

/** One of several things of a run cannot be done, and the others go on; the message says why and what next. */
export class PartFailure extends Error {
  override readonly name = 'PartFailure';
}

/** Why a run's signal was aborted. */
export class Cancelled extends Error {
  override readonly name = 'Cancelled';

  constructor() {
    super('Cancelled.');
  }
}

/** What follows from a failure. */
export interface FailureTraits {
  /** Trying the same again changes nothing. */
  readonly isFinal: boolean;
  /** Of several things it fails one alone; the others go on. */
  readonly isOfOnePart: boolean;
  /** The phone is waited for, and the work is tried again. */
  readonly isWaitedFor: boolean;
  /** Its message is all that there is to say; of any other the stack belongs into the log. */
  readonly isExpected: boolean;
  /** Of the HTTP answer. */
  readonly status: number;
  /** Of the HTTP answer, where its status says something else. */
  readonly title?: string;
}

interface FailureRow extends FailureTraits {
  readonly name: string;
  is(error: unknown): boolean;
}

type ErrorClass = abstract new (...given: never[]) => Error;
const a =
  (Class: ErrorClass) =>
  (error: unknown): boolean =>
    error instanceof Class;
const code = (error: unknown) => (error as NodeJS.ErrnoException | undefined)?.code;

export const isDiskFull = (error: unknown): boolean =>
  ['ENOSPC', 'EDQUOT', 'SQLITE_FULL'].includes(code(error) ?? '');

/** @param kept what is not lost @param next what to do once there is room */
export const diskFullText = (kept: string, next: string): string =>
  `The disk of the shelf is full. ${kept}: free some space, then ${next}.`;

/** What this computer's file system refuses, and what to do, by its error codes (POSIX, errno.h). */
const fileSystemWords: Readonly<Record<string, string>> = {
  ENOSPC: 'The disk is full. Free some space, then start again.',
  EDQUOT: 'This user’s share of the disk is used up. Free some space, then start again.',
  EACCES: 'This program may not write there. Change the folder’s permissions or choose another one.',
  EPERM: 'This program may not write there. Change the folder’s permissions or choose another one.',
  EROFS: 'The disk can only be read. Choose another one.',
  EIO: 'The disk reports an error of its own: it may be failing. Copy what is on it to another one.',
  SQLITE_FULL: 'The disk is full. Free some space, then start again.',
  SQLITE_READONLY: 'The disk can only be read. Choose another one.',
  EMFILE: 'Too many files are open. End other programs, then start again.',
};

const final = { isFinal: true, isOfOnePart: false, isWaitedFor: false, isExpected: true };
const ofOnePart = { ...final, isOfOnePart: true };
const waitedFor = { isFinal: false, isOfOnePart: false, isWaitedFor: true, isExpected: true };

/** Every kind of failure, the more special before the more general. */
export const failureTable: readonly FailureRow[] = [
  { name: 'Problem', is: a(Problem), ...final, status: 409 },
  { name: 'Cancelled', is: a(Cancelled), ...final, status: 409 },
  { name: 'Interruption', is: a(Interruption), ...final, isFinal: false, status: 409 },
  { name: 'RunFailure', is: a(RunFailure), ...final, status: 409 },
  { name: 'PartFailure', is: a(PartFailure), ...ofOnePart, status: 409 },
  { name: 'PhoneSilent', is: a(PhoneSilent), ...waitedFor, status: 502 },
  { name: 'NobodyThere', is: a(NobodyThere), ...waitedFor, status: 502 },
  { name: 'LinkFailure', is: a(LinkFailure), ...waitedFor, status: 502 },
  { name: 'PhoneRefusal', is: a(PhoneRefusal), ...ofOnePart, status: 502 },
  { name: 'FlashFailure', is: a(FlashFailure), ...ofOnePart, status: 502 },
  { name: 'DamagedImage', is: a(DamagedImage), ...ofOnePart, status: 422, title: 'It is damaged' },
  { name: 'ShelfFailure', is: a(ShelfFailure), ...final, isFinal: false, status: 503 },
  {
    name: 'BucketFailure',
    is: a(BucketFailure),
    ...final,
    isFinal: false,
    status: 502,
    title: 'The copy did not do it',
  },
  { name: 'SealFailure', is: a(SealFailure), ...final, status: 422, title: 'The seal stays closed' },
  { name: 'FormatError', is: a(FormatError), ...ofOnePart, status: 422, title: 'It cannot be read' },
  { name: 'UnsafeEntry', is: a(UnsafeEntry), ...ofOnePart, status: 422, title: 'It is not taken' },
  { name: 'full disk', is: isDiskFull, ...final, isFinal: false, isExpected: false, status: 507 },
];

/** An error that nobody foresaw: it ends what it happened in. */
const unforeseen: FailureTraits = { ...final, isExpected: false, status: 500 };

export function traitsOf(error: unknown): FailureTraits {
  const found = failureTable.find((row) => row.is(error)) ?? unforeseen;
  return error instanceof Problem ? { ...found, status: error.status } : found;
}

/**
 * An error's message for reading: the file system's refusals in words.
 * @param withPath also says of which file, where that is told
 */
export function plainWords(error: unknown, withPath = true): string {
  if (!(error instanceof Error)) return String(error);
  const { path } = error as NodeJS.ErrnoException;
  const ofCode = code(error) ?? '';
  const words = fileSystemWords[ofCode.startsWith('SQLITE_IOERR') ? 'EIO' : ofCode];
  return words ? `${words}${path && withPath ? ` (${path})` : ''}` : error.message;
}

/**
 * Does something to one of several things.
 * @param words what is said of a failure that is that thing's own
 * @throws PartFailure for such a failure; any other passes
 */
export async function asOnePart<T>(
  work: () => Promise<T>,
  words: (error: Error) => string | Promise<string> = ({ message }) => message,
): Promise<T> {
  try {
    return await work();
  } catch (error) {
    if (error instanceof PartFailure || !traitsOf(error).isOfOnePart) throw error;
    throw new PartFailure(await words(error as Error), { cause: error });
  }
}
