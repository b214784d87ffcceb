import type { ProofView } from '@keen-larder/contract/runs.ts';
import type { ProofRow } from '@keen-larder/core/phone/proof.ts';
import { sizeText } from '@keen-larder/core/bytes/units.ts';
import { page, pageRow, pageTable, pageText, pageTime } from '../../formats/page.ts';

const results: Readonly<Record<ProofRow['result'], string>> = {
  same: 'same',
  expected: 'differs, as planned',
  different: 'different',
  unknown: 'cannot be told',
};

/** The proof of return as a page of its own. */
export const proofPage = ({ nickname, serial, at, label, rows, partitions }: ProofView): string =>
  page(
    `Proof of return: ${nickname}`,
    `<h1>Proof of return</h1>
<p><strong>${pageText(nickname)}</strong>, serial ${pageText(serial)}, compared on ${pageTime(at)} with the set “${pageText(label)}”.</p>
<h2>What the phone says of itself</h2>
${pageTable(
  ['Fact', 'Kept', 'Now', 'Result', 'Why'],
  rows.map(({ what, kept, now, result, reason }) =>
    pageRow([what, kept, now, results[result], reason ?? '']),
  ),
)}
${partitions.length > 0 ? writtenPart(partitions) : ''}`,
  );

const writtenPart = (partitions: ProofView['partitions']): string => `<h2>What was written</h2>
<p>Before the phone was started, it computed the SHA-256 of each partition itself; every one was that of the kept image.</p>
<div class="sums">
${pageTable(
  ['Partition', 'Size', 'SHA-256'],
  partitions.map(({ partition, bytes, sha256 }) => pageRow([partition, sizeText(bytes), sha256])),
)}
</div>`;
