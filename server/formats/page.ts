const escapes: Readonly<Record<string, string>> = { '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;' };

/** Text as it may stand in a page; what is not known is a dash. */
export const pageText = (value: string | undefined): string =>
  (value ?? '—').replace(/[&<>"]/g, (char) => escapes[char]!);

export const pageRow = (cells: readonly (string | undefined)[]): string =>
  `<tr>${cells.map((cell) => `<td>${pageText(cell)}</td>`).join('')}</tr>`;

export const pageTable = (heads: readonly string[], rows: readonly string[]): string =>
  `<table><thead><tr>${heads.map((head) => `<th scope="col">${head}</th>`).join('')}</tr></thead><tbody>\n${rows.join('\n')}\n</tbody></table>`;

/** A moment as it stands on paper. @param ms since 1970 */
export const pageTime = (ms: number): string =>
  `${new Date(ms).toISOString().replace('T', ' ').slice(0, 16)} UTC`;

/** A page of its own, for printing and for handing out: nothing of it is loaded from elsewhere. @param body as HTML */
export const page = (title: string, body: string): string => `<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8">
<title>${pageText(title)}</title>
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
${body}
</body>
</html>
`;
