import { randomBytes } from 'node:crypto';
import { Problem } from '../../failures.ts';

const validMs = 60_000;
/** More are not waited for at once: each holds a passphrase. */
const mostWaiting = 32;

interface Ticket<Request> {
  readonly setId: string;
  readonly request: Request;
  readonly until: number;
}

/** Downloads that leave sealed. An address is kept in histories and logs, and is no place for a passphrase: a ticket stands for it, once and for a minute. */
export class SealedDownloads<Request> {
  private readonly tickets = new Map<string, Ticket<Request>>();

  /** @param nowMs of a clock that nobody sets */
  constructor(private readonly nowMs: () => number = () => performance.now()) {}

  issue(setId: string, request: Request): string {
    this.forgetOld();
    if (this.tickets.size >= mostWaiting) this.tickets.delete(this.tickets.keys().next().value!);
    const ticket = randomBytes(24).toString('base64url');
    this.tickets.set(ticket, { setId, request, until: this.nowMs() + validMs });
    return ticket;
  }

  /** @throws Problem 410 where it was used, is of another set or too old */
  take(ticket: string, setId: string): Request {
    this.forgetOld();
    const found = this.tickets.get(ticket);
    this.tickets.delete(ticket);
    if (found?.setId !== setId)
      throw new Problem(410, 'This address was good once and for a minute. Choose Download again.');
    return found.request;
  }

  private forgetOld(): void {
    for (const [ticket, { until }] of this.tickets) if (until < this.nowMs()) this.tickets.delete(ticket);
  }
}
