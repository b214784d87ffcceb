/**
 * Thrown by every reader of a binary format when the bytes cannot mean what the format says.
 * Carries where (byte offset in the input) and which field, so that the message can be acted on.
 */
export class FormatError extends Error {
  override readonly name = 'FormatError';

  constructor(
    /** Which format was being read, e.g. `gpt`. */
    readonly format: string,
    /** The field as the format's publication names it. */
    readonly field: string,
    /** Byte offset of the field in the input. */
    readonly offset: number,
    /** What is wrong, in one sentence without a full stop. */
    readonly reason: string,
  ) {
    super(`${format}: ${field} at byte ${offset}: ${reason}`);
  }
}
