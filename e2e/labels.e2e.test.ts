// Labels as they come out of the printer: Chromium makes the PDF, poppler's tools and jsQR (a reader of QR codes that nobody here wrote) read it.
import { execFileSync } from 'node:child_process';
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import jsQR from 'jsqr';
import { afterAll, beforeAll, expect, it } from 'vitest';
import { keepSet, serial, testFolder } from '../testing/bench.ts';
import { isLong } from '../testing/effort.ts';
import { openStory } from './story.ts';

const story = openStory();
const folder = testFolder();
let setId: string;
let jobId: string;

beforeAll(async () => {
  await story.intoRecovery();
  const { app } = story.serving;
  setId = await keepSet(app, 'Ringing hut · stock 9 · before flash', ['boot', 'efs']);
  jobId = app.jobs.open({
    ...{ who: 'Ringing hut', contact: '', complaint: 'It restarts.', arrival: '', accessories: '' },
    ...{ agreed: { keepFirst: true, mayLose: false, mayLook: false }, serials: [serial] },
  }).id;
});
afterAll(() => folder.remove());

/** What is printed now: its size in points, its text, and what its code says. */
async function printed(): Promise<{ size: string; pages: number; text: string; code: string | undefined }> {
  const path = join(folder.path, 'label.pdf');
  writeFileSync(path, await story.page.pdf({ preferCSSPageSize: true, printBackground: true }));
  const info = execFileSync('pdfinfo', [path], { encoding: 'utf8' });
  const text = execFileSync('pdftotext', ['-layout', path, '-'], { encoding: 'utf8' });
  execFileSync('pdftoppm', ['-r', '300', '-singlefile', path, join(folder.path, 'label')]);
  return {
    size: /Page size:\s+([\d.]+ x [\d.]+)/.exec(info)![1]!,
    pages: Number(/Pages:\s+(\d+)/.exec(info)![1]),
    text: text.split(/\s+/).filter(Boolean).join(' '),
    code: codeIn(readFileSync(join(folder.path, 'label.ppm'))),
  };
}

/** @param ppm as `pdftoppm` writes it: P6, width, height, 255, then three bytes a pixel */
function codeIn(ppm: Buffer): string | undefined {
  const [head] = /^P6\s+(\d+)\s+(\d+)\s+255\s/.exec(ppm.subarray(0, 40).toString('latin1'))!;
  const [, width, height] = head.split(/\s+/).map(Number);
  const pixels = new Uint8ClampedArray(width! * height! * 4).fill(255);
  for (let i = 0; i < width! * height!; i++)
    pixels.set(ppm.subarray(head.length + i * 3, head.length + i * 3 + 3), i * 4);
  return jsQR(pixels, width!, height!)?.data;
}

const points = (millimetres: number) => (millimetres / 25.4) * 72;

it('a set’s label is as large as the roll, says what the set is, and its code opens it', async () => {
  const { page } = story;
  await story.go(`/larder/sets/${setId}`);
  await page.getByRole('link', { name: 'Label' }).click();
  const sizes = [
    [62, 29],
    [89, 36],
    [102, 76],
  ] as const;
  for (const [width, height] of isLong ? sizes : sizes.slice(0, 1)) {
    await page.getByRole('button', { name: `${width} × ${height} mm` }).click();
    const { size, pages, text, code } = await printed();
    const [w, h] = size.split(' x ').map(Number);
    expect([Math.abs(w! - points(width)) < 1, Math.abs(h! - points(height)) < 1, pages]).toEqual([
      true,
      true,
      1,
    ]);
    expect(text).toContain('Ringing hut · stock 9');
    expect(text).toContain('2 images');
    expect(text).toMatch(/[0-9a-f]{4}…[0-9a-f]{4}/);
    expect(text).not.toContain('Print');
    expect(code).toBe(`${story.url}/larder/sets/${setId}`);
  }
});

it('a size of one’s own stays for the next label; a job card’s code opens the card', async () => {
  const { page } = story;
  await page.getByLabel('Width in millimetres').fill('70');
  await page.getByLabel('Width in millimetres').press('Enter');
  await story.go(`/jobs/${jobId}`);
  await page.getByRole('link', { name: 'Label' }).click();
  await page.getByRole('heading', { name: 'Label' }).waitFor();
  const { size, text, code } = await printed();
  expect(Math.abs(Number(size.split(' x ')[0]) - points(70))).toBeLessThan(1);
  expect(text).toContain(`Job 1 · Ringing hut`);
  expect(text.replaceAll('\u2011', '-')).toContain(serial);
  expect(code).toBe(`${story.url}/jobs/${jobId}`);
  await page.goto(code!);
  await page.getByRole('heading', { name: 'Job 1 · Ringing hut' }).waitFor();
});
