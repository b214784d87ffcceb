import type { ProofView } from '@keen-larder/contract/runs.ts';
import type { ProofRow } from '@keen-larder/core/phone/proof.ts';
import { sizeText } from '@keen-larder/core/bytes/units.ts';

const results: Readonly<Record<ProofRow['result'], string>> = {
  same: 'same',
  expected: 'differs, as planned',
  different: 'different',
  unknown: 'cannot be told',
};

const escapes: Readonly<Record<string, string>> = { '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;' };
const text = (value: string | undefined) => (value ?? '—').replace(/[&<>"]/g, (char) => escapes[char]!);
const row = (cells: readonly (string | undefined)[]) =>
  `<tr>${cells.map((cell) => `<td>${text(cell)}</td>`).join('')}</tr>`;
const table = (heads: readonly string[], rows: readonly string[]) =>
  `<table><thead><tr>${heads.map((head) => `<th scope="col">${head}</th>`).join('')}</tr></thead><tbody>\n${rows.join('\n')}\n</tbody></table>`;

/** The proof of return as a page of its own, for printing and for the customer: nothing of it is loaded from elsewhere. */
export function proofPage({ nickname, serial, at, label, rows, partitions }: ProofView): string {
  return `<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8">
<title>Proof of return: ${text(nickname)}</title>
<style>
body { max-width: 60rem; margin: 2rem auto; padding: 0 1rem; font: 15px/1.45 sans-serif; color: #22261f; }
h1 { font-size: 1.4rem; } h2 { margin-top: 2rem; font-size: 1.1rem; }
table { width: 100%; border-collapse: collapse; font-size: 0.9rem; }
th, td { padding: 0.3rem 0.6rem 0.3rem 0; border-bottom: 1px solid #b9b39f; text-align: left; vertical-align: top; }
td:last-child { overflow-wrap: anywhere; }
.sums td:last-child { font-family: monospace; }
</style>
</head>
<body>
<h1>Proof of return</h1>
<p><strong>${text(nickname)}</strong>, serial ${text(serial)}, compared on ${new Date(at).toISOString().replace('T', ' ').slice(0, 16)} UTC with the set “${text(label)}”.</p>
<h2>What the phone says of itself</h2>
${table(
  ['Fact', 'Kept', 'Now', 'Result', 'Why'],
  rows.map(({ what, kept, now, result, reason }) => row([what, kept, now, results[result], reason ?? ''])),
)}
${partitions.length > 0 ? writtenPart(partitions) : ''}
</body>
</html>
`;
}

const writtenPart = (partitions: ProofView['partitions']): string => `<h2>What was written</h2>
<p>Before the phone was started, it computed the SHA-256 of each partition itself; every one was that of the kept image.</p>
<div class="sums">
${table(
  ['Partition', 'Size', 'SHA-256'],
  partitions.map(({ partition, bytes, sha256 }) => row([partition, sizeText(bytes), sha256])),
)}
</div>`;
