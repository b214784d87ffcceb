/** No tag of the platform's settings files is longer. */
const mostTagChars = 8192;

/** A tag with its attributes. */
export interface XmlTag {
  readonly attributes: ReadonlyMap<string, string>;
  /** Where what it holds begins in the text. */
  readonly end: number;
}

/**
 * The opening tags of one name in the platform's XML, which it writes itself in a plain form. One pass over the text, whatever
 * it is; tags without an end are passed over.
 */
export function* tagsIn(text: string, name: string): Generator<XmlTag> {
  const mark = `<${name} `;
  for (let at = text.indexOf(mark); at >= 0; at = text.indexOf(mark, at + mark.length)) {
    const head = text.slice(at + mark.length, at + mostTagChars);
    const end = head.indexOf('>');
    if (end < 0) continue;
    const attributes = new Map<string, string>();
    for (const [, key, value] of head.slice(0, end).matchAll(/([\w:-]+)="([^"]*)"/g))
      if (!attributes.has(key!)) attributes.set(key!, value!);
    yield { attributes, end: at + mark.length + end + 1 };
  }
}
