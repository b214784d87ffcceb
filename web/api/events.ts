import type { EventName, Events } from '@keen-larder/contract/events.ts';

const againMs = 2000;

type Handlers = { readonly [Name in EventName]: (data: Events[Name]) => void };

/** Follows the server's events; the browser reconnects by itself and says which it saw last. */
export function followEvents(handlers: Handlers, onLine: (isOpen: boolean) => void): () => void {
  let source: EventSource;
  let again: ReturnType<typeof setTimeout> | undefined;
  const open = () => {
    source = new EventSource('/api/events');
    source.onopen = () => onLine(true);
    source.onerror = () => {
      onLine(false);
      // A refusal ends it for the browser; somebody may sign in again.
      if (source.readyState === EventSource.CLOSED) again = setTimeout(open, againMs);
    };
    for (const name of Object.keys(handlers) as EventName[]) {
      source.addEventListener(name, (event) => {
        const handle = handlers[name] as (data: unknown) => void;
        handle(JSON.parse((event as MessageEvent<string>).data));
      });
    }
  };
  open();
  return () => {
    clearTimeout(again);
    source.close();
  };
}
