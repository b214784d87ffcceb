import { Marked, type Token } from 'marked';

/** Pictures and other documents lie beside the guide, not within the application: what is shown is their text. */
const marked = new Marked({
  renderer: {
    link: ({ href, text }) =>
      /^https?:/.test(href) ? `<a href="${href}" rel="noreferrer">${text}</a>` : text,
    image: () => '',
  },
});

/** A paragraph, list or table of a text, under the heading it stands below. */
export interface Block {
  readonly heading: string;
  /** Words of it, in small letters. */
  readonly text: string;
  readonly html: string;
}

/** Marks, tags and the addresses of links are no words. */
const wordsOf = (html: string): string =>
  html
    .replaceAll(/<[^>]*>/g, ' ')
    .replaceAll('&quot;', '"')
    .replaceAll('&#39;', "'")
    .replaceAll('&amp;', '&')
    .toLowerCase();

/** A Markdown text block by block; rows of tables are blocks of their own. */
export function blocksOf(markdown: string): Block[] {
  const blocks: Block[] = [];
  let heading = '';
  const add = (tokens: Token[]) => {
    const html = marked.parser(tokens);
    if (wordsOf(html).trim() === '') return;
    blocks.push({ heading, html, text: `${wordsOf(html)} ${heading.toLowerCase()}` });
  };
  for (const token of marked.lexer(markdown)) {
    if (token.type === 'space') continue;
    if (token.type === 'heading') heading = String(token['text']);
    else add([token]);
  }
  return blocks;
}

/** Those that have every word. */
export function found<T extends { readonly text: string }>(all: readonly T[], words: string): T[] {
  const wanted = words.toLowerCase().split(/\s+/).filter(Boolean);
  return all.filter(({ text }) => wanted.every((word) => text.includes(word)));
}
