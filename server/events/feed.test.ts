import { describe, expect, it } from 'vitest';
import { Feed, type FeedEvent } from './feed.ts';

describe('the feed', () => {
  it('tells listeners as it happens, until they stop', () => {
    const feed = new Feed(100);
    const heard: FeedEvent[] = [];
    const stop = feed.listen((event) => heard.push(event));
    feed.send('larder', {});
    stop();
    feed.send('larder', {});
    expect(heard.map(({ id, name }) => [id, name])).toEqual([[100, 'larder']]);
    expect(feed.lastId).toBe(101);
  });

  it('lets a browser catch up from the last id that it saw', () => {
    const feed = new Feed(7);
    for (let i = 0; i < 5; i++) feed.send('larder', {});
    expect(feed.since(9)?.map(({ id }) => id)).toEqual([10, 11]);
    expect(feed.since(11)).toEqual([]);
    expect(feed.since(6)?.map(({ id }) => id)).toEqual([7, 8, 9, 10, 11]);
  });

  it('does not pretend to know what it has forgotten, or what another start of the program sent', () => {
    const feed = new Feed(1000);
    for (let i = 0; i < 2100; i++) feed.send('larder', {});
    expect(feed.since(1050)).toBeUndefined();
    expect(feed.since(1100)).toHaveLength(1999);
    expect(feed.since(3)).toBeUndefined();
    expect(feed.since(9_999_999)).toBeUndefined();
    expect(new Feed(50).since(49)).toEqual([]);
    expect(new Feed(50).since(60)).toBeUndefined();
  });
});
