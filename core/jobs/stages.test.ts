import { describe, expect, it } from 'vitest';
import {
  beforeHandingOver,
  isOpen,
  jobStages,
  stageReached,
  usualAgreement,
  type JobEvents,
} from './stages.ts';

const events = (over: Partial<JobEvents> = {}): JobEvents => ({
  wholeSets: 0,
  changes: 0,
  proofs: 0,
  ...over,
});

describe('the stage of a job card', () => {
  it.each<[Partial<JobEvents>, string]>([
    [{}, 'received'],
    [{ wholeSets: 1 }, 'kept'],
    [{ wholeSets: 2, changes: 1 }, 'worked on'],
    [{ changes: 1 }, 'worked on'],
    [{ wholeSets: 1, changes: 3, proofs: 1 }, 'proved'],
  ])('by %j is %s', (over, stage) => {
    expect(stageReached('received', events(over))).toBe(stage);
  });

  it('stays where a hand has set it further, and is open until it is handed over', () => {
    expect(stageReached('proved', events({ wholeSets: 1 }))).toBe('proved');
    expect(stageReached('handed over', events({ proofs: 1 }))).toBe('handed over');
    expect(jobStages.filter(isOpen)).toEqual(['received', 'kept', 'worked on', 'proved']);
  });
});

describe('before a phone is handed over', () => {
  it('is said what was agreed and not done', () => {
    expect(beforeHandingOver(usualAgreement, events({ wholeSets: 1 }), 0)).toEqual([]);
    expect(beforeHandingOver(usualAgreement, events(), 1)).toEqual([
      'A run on it is under way.',
      'It was agreed to keep what is on it first; nothing was kept.',
    ]);
    expect(beforeHandingOver({ ...usualAgreement, keepFirst: false }, events({ changes: 1 }), 0)).toEqual([
      'It was changed, and not compared with what was kept since.',
    ]);
  });
});
