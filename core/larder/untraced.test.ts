import { expect, it } from 'vitest';
import { untracedTexts } from './untraced.ts';

it('says whose identity images are, or that nobody knows', () => {
  expect(untracedTexts([])).toEqual([]);
  expect(
    untracedTexts([
      { partition: 'efs', origin: { is: 'foreign', serials: ['MR2Q-44107'] } },
      { partition: 'modemst1', origin: { is: 'unproved' } },
    ]),
  ).toEqual([
    'efs is the identity of MR2Q-44107: it never goes onto this phone.',
    'Whose identity modemst1 carries is not known: it came as a file, and nothing that was read from this phone has the same bytes.',
  ]);
  const both = ['efs', 'persist'].map((partition) => ({ partition, origin: { is: 'unproved' } as const }));
  expect(untracedTexts(both)[0]).toMatch(
    /^Whose identity efs and persist carry is not known: they came as files/,
  );
});
