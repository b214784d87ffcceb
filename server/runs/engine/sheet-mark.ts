import { createHash } from 'node:crypto';
import type { RunSheet, Step } from '@keen-larder/core/runsheet/run-sheets.ts';

/** What of a step says what it does. How much data apps and folders have changes while nobody looks; sizes of images do not. */
const essenceOf = ({ kind, partition, source, app, slot, into, bytes }: Step) => [
  kind,
  partition ?? null,
  source ? [source.setId, source.partition] : null,
  app ?? null,
  slot ?? null,
  into ?? null,
  source ? bytes : null,
];

/** Tells a sheet from one that would do something else. */
export const markOf = ({ steps }: { readonly steps: readonly Step[] }): string =>
  createHash('sha256')
    .update(JSON.stringify(steps.map(essenceOf)))
    .digest('hex');

export const withMark = <Sheet extends Pick<RunSheet, 'steps'>>(sheet: Sheet): Sheet & { mark: string } => ({
  ...sheet,
  mark: markOf(sheet),
});
