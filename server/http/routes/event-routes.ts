import { Router } from 'express';
import type { Feed, FeedEvent } from '../../events/feed.ts';

const heartbeatMs = 20_000;
/** So many bytes wait at most for a reader that does not read. */
const mostUnread = 4 << 20;
/** How long a browser waits before it tries again. */
const retryMs = 1000;

/** Server-Sent Events with ids; a browser that reconnects is told what it missed, or to ask again. */
export function eventRoutes(feed: Feed, startedAt: number): Router {
  const routes = Router();
  routes.get('/events', (request, response) => {
    response.writeHead(200, {
      'content-type': 'text/event-stream',
      'cache-control': 'no-store',
      connection: 'keep-alive',
    });
    // Something must go out at once: a browser takes the line for dead until it does.
    response.write(`retry: ${retryMs}\n\n`);
    const send = ({ id, name, data }: FeedEvent) => {
      response.write(`id: ${id}\nevent: ${name}\ndata: ${JSON.stringify(data)}\n\n`);
      // Who never reads is let go, and is told what it missed when it comes again.
      if (response.writableLength > mostUnread) response.destroy();
    };
    const lastId = Number(request.headers['last-event-id']);
    const missed = Number.isSafeInteger(lastId) && lastId > 0 ? feed.since(lastId) : undefined;
    if (missed) for (const event of missed) send(event);
    else send({ id: feed.lastId, name: 'hello', data: { startedAt } });
    const stop = feed.listen(send);
    const heartbeat = setInterval(() => response.write(': still here\n\n'), heartbeatMs);
    response.on('close', () => {
      clearInterval(heartbeat);
      stop();
    });
  });
  return routes;
}
