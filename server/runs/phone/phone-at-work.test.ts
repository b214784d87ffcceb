import { describe, expect, it } from 'vitest';
import { FlashFailure, Interruption, LinkFailure, PhoneRefusal, PhoneSilent } from '../../failures.ts';
import type { PhoneLink } from '../../links/phone-link.ts';
import { PhoneAtWork, type Attempt, type PhoneTask } from './phone-at-work.ts';

const policy = { stallMs: 100, backoffMs: 1, tries: 3, awayMs: 1000 };

/** A phone that is always there, and a run that nobody pauses. */
function atWork() {
  const cancelling = new AbortController();
  let closed = 0;
  const link: PhoneLink = {
    user: 0,
    asUser: () => link,
    mode: 'system',
    kind: 'adb',
    description: 'adb here',
    facts: () => Promise.reject(new Error('nobody asks')),
    ready: () => Promise.resolve(true),
    survey: () => Promise.reject(new Error('nobody asks')),
    restart: () => Promise.resolve(),
    gone: new Promise(() => undefined),
    close: () => void closed++,
  };
  const log: string[] = [];
  const phone = new PhoneAtWork(
    {
      link: () => link,
      linkIn: () => link,
      view: () => ({ nickname: 'North hide' }),
      restart: () => Promise.resolve(),
      changed: () => Promise.resolve(),
    },
    'serial',
    'system',
    {
      signal: cancelling.signal,
      pauseSignal: new AbortController().signal,
      whileNotPaused: () => Promise.resolve(),
      waiting: (_, work) => work(),
      log: (text) => void log.push(text),
    },
    policy,
    'Nothing is lost',
  );
  let passed = 0;
  let attempts = 0;
  const task = (work: (attempt: Attempt, nth: number) => Promise<string>): PhoneTask<string> => ({
    what: 'Do it',
    passed: (bytes) => (passed += bytes),
    attempt: (attempt) => work(attempt, ++attempts),
  });
  const seen = () => ({ passed, attempts, closed, log: log.join(' ') });
  return { phone, task, seen, cancelling };
}

describe('a phone at work', () => {
  it('takes back what a broken try passed on, so that it counts once', async () => {
    const { phone, task, seen } = atWork();
    const done = await phone.retry(
      task(({ passed }, nth) => {
        passed(100);
        if (nth < 3) return Promise.reject(new LinkFailure('The cable is out.'));
        passed(20);
        return Promise.resolve('done');
      }),
    );
    expect(done).toBe('done');
    expect(seen()).toMatchObject({ passed: 120, attempts: 3 });
  });

  it('does not tell anybody to start what it tries again by itself', async () => {
    const { phone, task, seen } = atWork();
    const broken = () => Promise.reject(new LinkFailure('It broke. Check the cable, then start again.'));
    await phone.retry(task((_, nth) => (nth === 1 ? broken() : Promise.resolve('done'))));
    expect(seen().log).toMatch(/It broke\. Check the cable\. Trying again in/);
  });

  it.each([new PhoneRefusal('No.'), new FlashFailure('Worn.'), new TypeError('odd')])(
    'does not ask again after %o',
    async (error) => {
      const { phone, task, seen } = atWork();
      await expect(phone.retry(task(() => Promise.reject(error)))).rejects.toBe(error);
      expect(seen().attempts).toBe(1);
    },
  );

  it('gives up when tries come to nothing, and says what is left', async () => {
    const { phone, task, seen } = atWork();
    const trying = phone.retry(task(() => Promise.reject(new LinkFailure('The cable is out.'))));
    await expect(trying).rejects.toThrow(Interruption);
    await expect(trying).rejects.toThrow(/Do it: The cable is out. 3 tries came to nothing. Nothing is lost/);
    expect(seen().attempts).toBe(3);
  });

  it('gives up a link that says nothing, so that the phone is reached anew', async () => {
    const { phone, task, seen } = atWork();
    const work = (_: Attempt, nth: number) =>
      nth === 1 ? Promise.reject(new PhoneSilent(policy.stallMs)) : Promise.resolve('done');
    expect(await phone.retry(task(work))).toBe('done');
    expect(seen()).toMatchObject({ closed: 1, log: expect.stringMatching(/has sent nothing/) as string });
  });

  it('ends when it is cancelled, though what it waits for does not listen', async () => {
    const { phone, task, cancelling } = atWork();
    const trying = phone.retry(task(() => new Promise(() => undefined)));
    cancelling.abort(new Error('cancelled'));
    await expect(trying).rejects.toThrow('cancelled');
  });
});
