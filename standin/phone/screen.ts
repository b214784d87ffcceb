import type { ScreenQuestion } from './phone-state.ts';

/** What a phone asks somebody in front of it, one thing at a time. */
export class Screen {
  private question: { readonly what: ScreenQuestion; answer(isYes: boolean): void } | undefined;

  /** @param changed told when it asks, and when that is over */
  constructor(private readonly changed: () => void) {}

  get asks(): ScreenQuestion | undefined {
    return this.question?.what;
  }

  answer(isYes: boolean): void {
    this.question?.answer(isYes);
  }

  /** @param mostMs where nobody answers for so long, the answer is no */
  ask(what: ScreenQuestion, mostMs?: number): Promise<boolean> {
    return new Promise((resolve) => {
      const timer = mostMs === undefined ? undefined : setTimeout(() => this.answer(false), mostMs);
      this.question = {
        what,
        answer: (isYes) => {
          clearTimeout(timer);
          this.question = undefined;
          resolve(isYes);
          this.changed();
        },
      };
      this.changed();
    });
  }
}
