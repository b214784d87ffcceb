import { createRequire } from 'node:module';
import { dirname, join } from 'node:path';
import type { Report, ReportBlock } from '@keen-larder/core/jobs/report.ts';

/** In points. */
const papers = { a4: [595.28, 841.89], letter: [612, 792] } as const;
export type Paper = keyof typeof papers;

const margin = 56;
const ink = '#22302a';
const soft = '#57625b';
const action = '#1f5c46';
const nameWidth = 96;

const fontFolder = (family: string) =>
  join(
    dirname(
      createRequire(import.meta.url).resolve(`@fontsource/atkinson-hyperlegible-${family}/package.json`),
    ),
    'files',
  );
const fontFile = (family: 'next' | 'mono', weight: number) =>
  join(fontFolder(family), `atkinson-hyperlegible-${family}-latin-${weight}-normal.woff`);

/** Lays a report out on pages, with their numbers. @returns the PDF */
export async function reportPdf({ title, shop, blocks }: Report, paper: Paper): Promise<Buffer> {
  // It takes long to load.
  const { default: PDFDocument } = await import('pdfkit');
  const pdf = new PDFDocument({
    ...{ size: [...papers[paper]], margin, bufferPages: true },
    // Its own are read from files beside the library.
    font: fontFile('next', 400),
    info: { Title: title, Author: shop.name, Producer: 'Keen Larder', Creator: 'Keen Larder' },
    lang: 'en',
  });
  const parts: Buffer[] = [];
  pdf.on('data', (part: Buffer) => parts.push(part));
  const ended = new Promise<void>((resolve) => pdf.once('end', resolve));
  pdf.registerFont('text', fontFile('next', 400));
  pdf.registerFont('bold', fontFile('next', 700));
  pdf.registerFont('mono', fontFile('mono', 400));

  pdf.font('bold').fontSize(13).fillColor(ink).text(shop.name);
  if (shop.address) pdf.font('text').fontSize(9.5).fillColor(soft).text(shop.address);
  pdf.moveDown(1.6).font('bold').fontSize(20).fillColor(ink).text(title);
  pdf.moveDown(0.5);
  const rule = pdf.y;
  pdf
    .moveTo(margin, rule)
    .lineTo(pdf.page.width - margin, rule)
    .lineWidth(1.5)
    .strokeColor(action)
    .stroke();
  pdf.moveDown(0.8);
  for (const block of blocks) draw(pdf, block);
  numberPages(pdf, title);
  pdf.end();
  await ended;
  return Buffer.concat(parts);
}

function draw(pdf: PDFKit.PDFDocument, block: ReportBlock): void {
  switch (block.is) {
    case 'annex':
      pdf.addPage();
      pdf.font('bold').fontSize(16).fillColor(ink).text(block.text).moveDown(0.5);
      break;
    case 'heading':
      keepTogether(pdf, 60);
      pdf.moveDown(0.6).font('bold').fontSize(12).fillColor(ink).text(block.text).moveDown(0.2);
      break;
    case 'text':
      pdf.font('text').fontSize(10.5).fillColor(ink).text(block.text, { lineGap: 1.5 });
      break;
    case 'small':
      pdf.font('text').fontSize(9).fillColor(soft).text(block.text);
      break;
    case 'list':
      for (const item of block.items)
        pdf.font('text').fontSize(10.5).fillColor(ink).text(`– ${item}`, { lineGap: 1.5, indent: 0 });
      break;
    case 'facts':
      for (const [name, value] of block.rows) {
        keepTogether(pdf, 26);
        const { y } = pdf;
        pdf.font('text').fontSize(10.5).fillColor(soft).text(name, margin, y, { width: nameWidth });
        pdf
          .fillColor(ink)
          .text(value, margin + nameWidth, y, { width: pdf.page.width - 2 * margin - nameWidth })
          .moveDown(0.15);
      }
      pdf.x = margin;
      break;
    case 'digest':
      keepTogether(pdf, 30);
      pdf.font('text').fontSize(9).fillColor(ink).text(block.name);
      pdf.font('mono').fontSize(8.5).fillColor(soft).text(block.sha256).moveDown(0.35);
  }
}

/** What follows begins on the next page where there is less room than that. */
function keepTogether(pdf: PDFKit.PDFDocument, points: number): void {
  if (pdf.y + points > pdf.page.height - margin) pdf.addPage();
}

function numberPages(pdf: PDFKit.PDFDocument, title: string): void {
  const { count } = pdf.bufferedPageRange();
  for (let i = 0; i < count; i++) {
    pdf.switchToPage(i);
    // Below the margin nothing is laid out: that would begin a page of its own.
    pdf.page.margins.bottom = 0;
    pdf
      .font('text')
      .fontSize(8.5)
      .fillColor(soft)
      .text(`${title} · page ${i + 1} of ${count}`, margin, pdf.page.height - 38, { lineBreak: false });
    pdf.page.margins.bottom = margin;
  }
}
