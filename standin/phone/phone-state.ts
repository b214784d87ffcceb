import type { PracticePhone } from '@keen-larder/contract/practice.ts';
import type { PhoneMode } from '@keen-larder/core/phone/modes.ts';

export type SimulatedMode = PhoneMode;
/** A phone as its practice controls report it. */
export type PhoneState = PracticePhone;
/** What it asks on the screen. */
export type ScreenQuestion = NonNullable<PracticePhone['question']>;

export interface PhoneTiming {
  /** From power to a link, when all is well. */
  readonly startMs: number;
  /** One round of a boot loop. */
  readonly loopMs: number;
  readonly bytesPerSecond: number;
}

/** A phone on a USB 2 cable, and one without waits for tests. */
export const cableTiming: PhoneTiming = { startMs: 5000, loopMs: 6000, bytesPerSecond: 37 * 1024 * 1024 };
export const fastTiming: PhoneTiming = { startMs: 300, loopMs: 900, bytesPerSecond: Infinity };

export interface PhoneIdentity {
  readonly serial: string;
}
