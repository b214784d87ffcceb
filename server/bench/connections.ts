import type { ConnectionView } from '@keen-larder/contract/connections.ts';
import type { ConnectionState } from '@keen-larder/core/phone/connections.ts';

/** How it stands with every way to a phone. */
export class Connections {
  private readonly views = new Map<string, ConnectionView>();

  constructor(private readonly changed: () => void) {}

  set(address: string, origin: ConnectionView['origin'], state: ConnectionState, serial?: string): void {
    const before = this.views.get(address);
    // Who it was stays known while it is away.
    const known = serial ?? before?.serial;
    if (before?.state === state && before.serial === known) return;
    this.views.set(address, { address, origin, state, serial: known });
    this.changed();
  }

  has(address: string): boolean {
    return this.views.has(address);
  }

  remove(address: string): void {
    if (this.views.delete(address)) this.changed();
  }

  /** Removes a way where it is of that origin. */
  removeFrom(address: string, origin: ConnectionView['origin']): void {
    if (this.views.get(address)?.origin === origin) this.remove(address);
  }

  list(): ConnectionView[] {
    return [...this.views.values()];
  }
}
