import type {
  ComparedPartition,
  ComparedSet,
  FileComparison,
  FileDifference,
  SetComparison,
} from '@keen-larder/contract/comparing.ts';
import { sizeText } from '@keen-larder/core/bytes/units.ts';
import { page, pageRow, pageTable, pageText, pageTime } from '../../formats/page.ts';

const states = {
  same: 'the same',
  differs: 'differs',
  'only before': 'only in the first',
  'only after': 'only in the second',
  unknown: 'not known',
} as const;

/** The files of one tree that differ. */
export interface ComparedTreeFiles {
  readonly partition: string;
  /** Empty for the image itself. */
  readonly part: string;
  /** Or why they cannot be read. */
  readonly files: FileComparison | string;
}

/** A comparison of two sets as a page of its own. */
export const comparisonPage = (
  { before, after, partitions }: SetComparison,
  trees: readonly ComparedTreeFiles[],
): string =>
  page(
    `${before.label} and ${after.label}`,
    `<h1>Two sets compared</h1>
${setLine('First', before)}
${setLine('Second', after)}
<h2>By partition</h2>
${pageTable(
  ['Partition', 'State', 'First', 'Second', 'In blocks that differ'],
  partitions.map((each) => pageRow(partitionCells(each))),
)}
${trees.map(treePart).join('\n')}`,
  );

const setLine = (which: string, { label, nickname, serial, createdAt }: ComparedSet): string =>
  `<p>${which}: <strong>${pageText(label)}</strong>, of ${pageText(nickname)} (${pageText(serial)}), taken on ${pageTime(createdAt)}.</p>`;

const partitionCells = ({ partition, state, before, after, differingBytes }: ComparedPartition) => [
  partition,
  states[state],
  before && `${sizeText(before.bytes)}, SHA-256 ${before.sha256}`,
  after && `${sizeText(after.bytes)}, SHA-256 ${after.sha256}`,
  differingBytes === undefined ? '' : sizeText(differingBytes),
];

function treePart({ partition, part, files }: ComparedTreeFiles): string {
  const head = `<h2>Files of ${pageText(part || partition)}</h2>`;
  if (typeof files === 'string') return `${head}\n<p>${pageText(files)}</p>`;
  const { counts, differences, isCut } = files;
  const sum = `${counts.changed} changed, ${counts.added} came, ${counts.gone} went, ${counts.elsewhere} lie elsewhere now${isCut ? `; the first ${differences.length} are listed` : ''}.`;
  if (differences.length === 0) return `${head}\n<p>No file differs.</p>`;
  return `${head}
<p>${sum}</p>
${pageTable(
  ['File', 'What'],
  differences.map((each) => pageRow([each.path, remark(each)])),
)}`;
}

const words = { added: 'came', gone: 'went', changed: 'changed', elsewhere: 'lies elsewhere now' } as const;

const remark = ({ state, from, changes }: FileDifference): string =>
  from !== undefined ? `was ${from}` : changes.length > 0 ? changes.join(', ') : words[state];
