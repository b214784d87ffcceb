import { expect, it } from 'vitest';
import { usualAgreement } from './stages.ts';
import { handOverReport, type ReportBlock, type ReportFacts } from './report.ts';

const at = Date.UTC(2026, 10, 3, 23, 30);
const day = 86_400_000;
const facts: ReportFacts = {
  ...{ shop: { name: 'Tide Street Repairs', address: '4 Tide Street' }, number: 12, who: 'Ringing hut' },
  ...{ complaint: 'It restarts.', agreed: usualAgreement, arrival: 'a crack', accessories: '' },
  ...{ openedAt: at, handedOverAt: undefined, copyCount: 1 },
  phones: [{ nickname: 'Hut', maker: 'Tidewell', model: 'Knot 3', serial: 'TW3K-10482' }],
  runs: [
    { kind: 'restoring', state: 'done', startedAt: at + 2 * day },
    { kind: 'restoring', state: 'failed', startedAt: at + day },
    { kind: 'verifying', state: 'done', startedAt: at },
  ],
  sets: [
    {
      ...{ label: 'As received', createdAt: at + day, complete: true },
      images: [
        { partition: 'boot', bytes: 33_554_432, sha256: 'a'.repeat(64), ranges: undefined },
        {
          partition: 'system',
          bytes: 536_870_912,
          sha256: 'b'.repeat(64),
          ranges: [{ offset: 0, bytes: 4096 }],
        },
      ],
    },
  ],
  proofs: [
    {
      ...{ at: at + 2 * day, label: 'As received' },
      rows: [
        { what: 'Firmware', kept: 'A', now: 'A', result: 'same' },
        { what: 'IMEI', kept: undefined, now: undefined, result: 'unknown' },
        { what: 'Apps', kept: '9 apps', now: '8 apps', result: 'different' },
        { what: 'Records', kept: '4', now: '0', result: 'expected', reason: 'User data was not put back.' },
      ],
    },
  ],
};
const textOf = (block: ReportBlock): string => {
  switch (block.is) {
    case 'facts':
      return block.rows.map(([name, value]) => `${name}: ${value}`).join('\n');
    case 'list':
      return block.items.map((item) => `- ${item}`).join('\n');
    case 'digest':
      return `${block.name} ${block.sha256}`;
    default:
      return block.text;
  }
};
const report = (over: Partial<ReportFacts> = {}) =>
  handOverReport({ ...facts, ...over }, () => 60)
    .blocks.map(textOf)
    .join('\n');

it('says what was agreed, done and proved, by the days of the shop', () => {
  expect(report()).toBe(`For: Ringing hut
Phone: Tidewell Knot 3, serial TW3K-10482
Received: 4 Nov 2026
Handed over: not yet
On arrival: a crack
What was wrong
It restarts.
What was agreed
- What is on it is kept before anything is changed.
- User data must not be lost.
- The shop does not look into user data.
What was done
- 5 Nov 2026: boot and system were kept, 544 MiB.
- 6 Nov 2026: Software was put back onto it, each part proved by the phone itself.
- 1 copy of apps and personal records was taken.
How it was proved
On 6 Nov 2026 the running phone was compared with “As received”, which was kept before.
- As it was: Firmware.
- Records: 4, now 0. User data was not put back.
- Apps differs: 9 apps, now 8 apps.
- Not known: IMEI.
Checksums of what was kept
SHA-256 over all bytes of each part, as the phone itself computed it where it could. Whoever has the bytes can compute them again with any tool.
“As received”, 5 Nov 2026
boot, 33,554,432 bytes ${'a'.repeat(64)}
system, 536,870,912 bytes, over the 4,096 bytes in use ${'b'.repeat(64)}`);
});

it('does not claim what was not done', () => {
  const said = report({ runs: [], sets: [], proofs: [], copyCount: 0, complaint: '' });
  expect(said).toContain('Nothing was kept and nothing was changed.');
  expect(said).not.toMatch(/proved|Checksums|wrong/);
});
