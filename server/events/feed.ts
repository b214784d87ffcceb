import type { EventName, Events } from '@keen-larder/contract/events.ts';

export interface FeedEvent {
  readonly id: number;
  readonly name: EventName;
  readonly data: unknown;
}

type Listener = (event: FeedEvent) => void;

const remembered = 2000;

/** Live state for browsers. The last events are kept so that a browser that lost the line catches up. */
export class Feed {
  private readonly past: FeedEvent[] = [];
  private readonly listeners = new Set<Listener>();
  private nextId: number;

  /** @param firstId larger than any id of an earlier start, so that stale ids are recognised */
  constructor(firstId: number) {
    this.nextId = firstId;
  }

  send<Name extends EventName>(name: Name, data: Events[Name]): void {
    const event = { id: this.nextId++, name, data };
    this.past.push(event);
    if (this.past.length > remembered) this.past.shift();
    for (const listener of this.listeners) listener(event);
  }

  /** Events after `id`, or undefined when they are no longer all known. */
  since(id: number): FeedEvent[] | undefined {
    const first = this.past[0]?.id ?? this.nextId;
    return id >= first - 1 && id < this.nextId ? this.past.filter((event) => event.id > id) : undefined;
  }

  get lastId(): number {
    return this.nextId - 1;
  }

  listen(listener: Listener): () => void {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  }
}
