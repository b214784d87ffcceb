import type { Agreement } from '../shell/host.ts';
import type { ScreenQuestion } from './phone-state.ts';

/** What a phone asks somebody in front of it, one thing at a time. */
export class Screen {
  private question: { readonly what: ScreenQuestion; answer(agreed: Agreement | false): void } | undefined;

  /** @param changed told when it asks, and when that is over */
  constructor(private readonly changed: () => void) {}

  get asks(): ScreenQuestion | undefined {
    return this.question?.what;
  }

  answer(agreed: Agreement | false): void {
    this.question?.answer(agreed);
  }

  /** @param mostMs where nobody answers for so long, the answer is no */
  ask(what: ScreenQuestion, mostMs?: number): Promise<Agreement | false> {
    return new Promise((resolve) => {
      const timer = mostMs === undefined ? undefined : setTimeout(() => this.answer(false), mostMs);
      this.question = {
        what,
        answer: (agreed) => {
          clearTimeout(timer);
          this.question = undefined;
          resolve(agreed);
          this.changed();
        },
      };
      this.changed();
    });
  }
}
