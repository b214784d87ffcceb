// The hand-over report as PDF, read by poppler's tools (Debian: poppler-utils), which nobody here wrote.
import { execFileSync } from 'node:child_process';
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, describe, expect, it } from 'vitest';
import { handOverReport, type ReportBlock } from '@keen-larder/core/jobs/report.ts';
import { usualAgreement } from '@keen-larder/core/jobs/stages.ts';
import { testFolder } from '../../testing/folder.ts';
import { proofReport } from '@keen-larder/core/jobs/proof-paper.ts';
import { reportHtml } from './report-html.ts';
import { reportPdf, type Paper } from './report-pdf.ts';

const folder = testFolder();
afterAll(() => folder.remove());

const at = Date.UTC(2026, 10, 3, 12);
const report = handOverReport(
  {
    ...{
      shop: { name: 'Tide Street Repairs', address: '4 Tide Street\nHarbour' },
      number: 12,
      who: 'Zoë’s kiosk',
    },
    ...{
      complaint: 'It restarts over and over.\nSince Tuesday.',
      agreed: usualAgreement,
      arrival: 'a crack',
    },
    ...{
      accessories: 'case',
      openedAt: at,
      handedOverAt: at,
      copyCount: 0,
      runs: [],
      proofs: [],
    },
    phones: [{ nickname: 'Hut', maker: 'Tidewell', model: 'Knot 3', serial: 'TW3K-10482' }],
    sets: [
      {
        ...{ label: 'As received', createdAt: at, complete: true },
        images: Array.from({ length: 60 }, (_, i) => ({
          ...{ partition: `partition ${i}`, bytes: 4096 * i, ranges: undefined },
          sha256: String(i).padStart(64, '0'),
        })),
      },
    ],
  },
  () => 0,
);
const textsOf = (block: ReportBlock): readonly string[] => {
  switch (block.is) {
    case 'facts':
      return block.rows.flat();
    case 'list':
      return block.items;
    case 'digest':
      return [block.name, block.sha256];
    default:
      return [block.text];
  }
};
const words = (text: string) => text.split(/\s+/).filter(Boolean).join(' ');

const proof = proofReport(
  {
    ...{ shop: report.shop, nickname: 'Hut', serial: 'TW3K-10482', at, label: 'As received <1>' },
    rows: [
      { what: 'Build', kept: 'TideOS 9', now: 'TideOS 9', result: 'same' },
      { what: 'Patch', kept: '2026-03', now: '2026-05', result: 'expected', reason: 'newer firmware' },
      { what: 'Apps', kept: '12', now: '11', result: 'different' },
      { what: 'IMEI', kept: undefined, now: undefined, result: 'unknown' },
    ],
    partitions: [{ partition: 'boot', bytes: 33_554_432, sha256: 'ab'.repeat(32) }],
  },
  () => 0,
);

it('the proof of return says each verdict, and has its checksums in full', async () => {
  const path = join(folder.path, 'proof.pdf');
  writeFileSync(path, await reportPdf(proof, 'a4'));
  const text = words(execFileSync('pdftotext', ['-layout', path, '-'], { encoding: 'utf8' }));
  for (const said of proof.blocks.flatMap(textsOf)) expect(text).toContain(words(said));
  expect(text).toContain('Patch differs, as planned: kept 2026-03, now 2026-05 (newer firmware)');
  expect(text).toContain('IMEI unknown: kept none, now none');
});

it('as a page it says the same, and nothing of it is read as HTML', () => {
  for (const each of [report, proof]) {
    const html = reportHtml(each);
    const text = words(
      html
        .replaceAll(/<style>[^]*?<\/style>/g, '')
        .replaceAll(/<[^>]+>/g, ' ')
        .replaceAll('&lt;', '<')
        .replaceAll('&gt;', '>')
        .replaceAll('&quot;', '"')
        .replaceAll('&amp;', '&'),
    );
    for (const said of [each.title, ...each.blocks.flatMap(textsOf)]) expect(text).toContain(words(said));
  }
  expect(reportHtml(proof)).toContain('As received &lt;1&gt;');
});

describe.each<[Paper, RegExp]>([
  ['a4', /Page size:\s+595\.28 x 841\.89 pts \(A4\)/],
  ['letter', /Page size:\s+612 x 792 pts \(letter\)/],
])('on %s', (paper, size) => {
  const path = join(folder.path, `${paper}.pdf`);

  it('is a PDF of that size, whose text is what the report says, with numbered pages', async () => {
    writeFileSync(path, await reportPdf(report, paper));
    const info = execFileSync('pdfinfo', [path], { encoding: 'utf8' });
    expect(info).toMatch(size);
    expect(info).toMatch(/Title:\s+Hand-over report · job 12/);
    expect(info).toMatch(/Author:\s+Tide Street Repairs/);
    const pages = Number(/Pages:\s+(\d+)/.exec(info)![1]);
    expect(pages).toBeGreaterThan(2);
    const text = words(execFileSync('pdftotext', ['-layout', path, '-'], { encoding: 'utf8' }));
    for (const said of ['Tide Street Repairs', 'Harbour', report.title, ...report.blocks.flatMap(textsOf)])
      expect(text).toContain(words(said));
    for (let page = 1; page <= pages; page++) expect(text).toContain(`page ${page} of ${pages}`);
  });

  it('has the fonts of the product in it', () => {
    const fonts = execFileSync('pdffonts', [path], { encoding: 'utf8' }).split('\n').slice(2).filter(Boolean);
    expect(fonts).toHaveLength(3);
    for (const font of fonts) expect(font).toMatch(/AtkinsonHyperlegible(Next|Mono).*yes yes yes/);
  });
});
