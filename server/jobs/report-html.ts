import type { Report, ReportBlock } from '@keen-larder/core/jobs/report.ts';
import { page, pageText } from '../formats/page.ts';

/** The same report as a page of its own. */
export const reportHtml = ({ title, shop, blocks }: Report): string =>
  page(
    `${title} · ${shop.name}`,
    `<p><strong>${pageText(shop.name)}</strong>${shop.address ? `<br>${inLines(shop.address)}` : ''}</p>
<h1>${pageText(title)}</h1>
${blocks.map(drawn).join('\n')}`,
  );

const inLines = (text: string) => text.split('\n').map(pageText).join('<br>');

function drawn(block: ReportBlock): string {
  switch (block.is) {
    case 'annex':
    case 'heading':
      return `<h2>${pageText(block.text)}</h2>`;
    case 'text':
      return `<p>${inLines(block.text)}</p>`;
    case 'small':
      return `<p><small>${pageText(block.text)}</small></p>`;
    case 'list':
      return `<ul>${block.items.map((item) => `<li>${pageText(item)}</li>`).join('')}</ul>`;
    case 'facts':
      return `<table><tbody>${block.rows.map(([name, value]) => `<tr><th scope="row">${pageText(name)}</th><td>${inLines(value)}</td></tr>`).join('')}</tbody></table>`;
    case 'digest':
      return `<p>${pageText(block.name)}<br><code>${block.sha256}</code></p>`;
  }
}
