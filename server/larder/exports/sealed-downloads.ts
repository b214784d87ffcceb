import { randomBytes } from 'node:crypto';
import { Problem } from '../../failures.ts';

const validMs = 60_000;
/** More are not waited for at once: each holds a passphrase. */
const mostWaiting = 32;

interface Ticket<Request> {
  readonly setId: string;
  readonly request: Request;
  readonly timer: NodeJS.Timeout;
}

/**
 * Downloads that leave sealed. An address is kept in histories and logs, and is no place for a passphrase: a ticket stands for it, once
 * and for a minute; then the passphrase is forgotten.
 */
export class SealedDownloads<Request> {
  private readonly tickets = new Map<string, Ticket<Request>>();

  issue(setId: string, request: Request): string {
    if (this.tickets.size >= mostWaiting) this.forget(this.tickets.keys().next().value!);
    const ticket = randomBytes(24).toString('base64url');
    const timer = setTimeout(() => this.forget(ticket), validMs).unref();
    this.tickets.set(ticket, { setId, request, timer });
    return ticket;
  }

  /** @throws Problem 410 where it was used, is of another set or too old */
  take(ticket: string, setId: string): Request {
    const found = this.forget(ticket);
    if (found?.setId !== setId)
      throw new Problem(410, 'This address was good once and for a minute. Choose Download again.');
    return found.request;
  }

  private forget(ticket: string): Ticket<Request> | undefined {
    const found = this.tickets.get(ticket);
    clearTimeout(found?.timer);
    this.tickets.delete(ticket);
    return found;
  }
}
