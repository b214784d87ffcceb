import { obstacles, type RunSheet } from '@keen-larder/core/runsheet/run-sheets.ts';
import { Problem } from '../../problem.ts';

/** @throws Problem 422 with the checks that stand in the way of a run */
export function requireClear(sheet: Pick<RunSheet, 'checks'>, confirmed: readonly string[]): void {
  const inTheWay = obstacles(sheet, confirmed);
  if (inTheWay.length === 0) return;
  const words = inTheWay.map(({ title, sentence }) => `${title}: ${sentence}`).join(' ');
  throw new Problem(422, words, inTheWay);
}
