import type { EventName, Events } from '@keen-larder/contract/events.ts';

type Handlers = { readonly [Name in EventName]: (data: Events[Name]) => void };

/** Follows the server's events; the browser reconnects by itself and says which it saw last. */
export function followEvents(handlers: Handlers, onLine: (isOpen: boolean) => void): () => void {
  const source = new EventSource('/api/events');
  source.onopen = () => onLine(true);
  source.onerror = () => onLine(false);
  for (const name of Object.keys(handlers) as EventName[]) {
    source.addEventListener(name, (event) => {
      const handle = handlers[name] as (data: unknown) => void;
      handle(JSON.parse((event as MessageEvent<string>).data));
    });
  }
  return () => source.close();
}
