import { setTimeout as pause } from 'node:timers/promises';
import { describe, expect, it } from 'vitest';
import { raceAgainst } from './race-against.ts';

function promise<T>() {
  let resolve!: (value: T) => void;
  let reject!: (error: Error) => void;
  const made = new Promise<T>((yes, no) => ([resolve, reject] = [yes, no]));
  return { made, resolve, reject };
}

describe('many works against one that lasts', () => {
  it('end as they end, well or badly, while it lasts', async () => {
    const race = raceAgainst(promise<never>().made);
    expect(await race(pause(1, 'done'))).toBe('done');
    expect(await race('at once')).toBe('at once');
    await expect(race(Promise.reject(new Error('failed')))).rejects.toThrow('failed');
  });

  it('end with it, those under way and those that come later', async () => {
    const lasting = promise<string>();
    const race = raceAgainst(lasting.made);
    const underWay = [race(promise<string>().made), race(promise<string>().made)];
    lasting.resolve('over');
    expect(await Promise.all(underWay)).toEqual(['over', 'over']);
    expect(await race(promise<string>().made)).toBe('over');
  });

  it('fail with it', async () => {
    const lasting = promise<never>();
    const race = raceAgainst(lasting.made);
    const underWay = race(promise<string>().made);
    lasting.reject(new Error('gone'));
    await expect(underWay).rejects.toThrow('gone');
    await expect(race(promise<string>().made)).rejects.toThrow('gone');
  });

  it('leave nothing behind', async () => {
    const lasting = promise<never>();
    let reactions = 0;
    const then = lasting.made.then.bind(lasting.made);
    lasting.made.then = ((...given: Parameters<typeof then>) => {
      reactions++;
      return then(...given);
    }) as typeof then;
    const race = raceAgainst(lasting.made);
    for (let i = 0; i < 100; i++) await race(i);
    expect(reactions).toBe(1);
  });
});
