import { describe, expect, it } from 'vitest';
import { connectionStates, connectionWords, servedState, wantsHands } from './connections.ts';

describe('how it stands with a way to a phone', () => {
  it('always has a title, and where hands are wanted says what to do', () => {
    for (const state of connectionStates) {
      const { title, sentence } = connectionWords(state, 'AA:BB');
      expect(title).not.toBe('');
      if (wantsHands(state))
        expect(sentence).toMatch(
          /\b(tap Allow|End that program|Pull the cable|udev rule|Look whether the address)\b/,
        );
    }
    expect(connectionWords('asks', 'AA:BB').sentence).toContain('AA:BB');
  });

  it.each([
    ['device', 'open'],
    ['recovery', 'open'],
    ['unauthorized', 'asks'],
    ['authorizing', 'asks'],
    ['offline', 'offline'],
    ['connecting', 'offline'],
    ['no permissions', 'no permissions'],
    ['sideload', 'other'],
    ['bootloader', 'other'],
  ])('an adb server’s “%s” is %s', (word, state) => expect(servedState(word)).toBe(state));
});
