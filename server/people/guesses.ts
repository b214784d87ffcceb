import { RateLimiterMemory, type RateLimiterRes } from 'rate-limiter-flexible';
import { Problem } from '../failures.ts';

const windowSeconds = 15 * 60;
/** Of one name from one address, and of all names from there. */
const mostForName = 5;
const mostFromAddress = 30;

/** Limits how often somebody may guess a passphrase. Who guesses from elsewhere does not lock out who works at the bench. */
export class Guesses {
  private readonly forName = new RateLimiterMemory({ points: mostForName, duration: windowSeconds });
  private readonly fromAddress = new RateLimiterMemory({ points: mostFromAddress, duration: windowSeconds });

  /** To be called before a passphrase is looked at. @throws Problem 429 */
  async allow(name: string, address: string): Promise<void> {
    try {
      await this.fromAddress.consume(address);
      await this.forName.consume(keyOf(name, address));
    } catch (refusal) {
      const minutes = Math.ceil((refusal as RateLimiterRes).msBeforeNext / 60_000);
      throw new Problem(
        429,
        `That were too many wrong passphrases. Try again in ${minutes} ${minutes === 1 ? 'minute' : 'minutes'}.`,
      );
    }
  }

  /** It was right. */
  async forget(name: string, address: string): Promise<void> {
    await Promise.all([this.forName.delete(keyOf(name, address)), this.fromAddress.reward(address)]);
  }
}

const keyOf = (name: string, address: string) => `${address} ${name.toLowerCase()}`;
