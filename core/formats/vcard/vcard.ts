import { escapeText, writeContentLines, type ContentLine } from '../content-lines/content-lines.ts';

/** A contact as the platform's contacts database has it. */
export interface Contact {
  readonly name: string;
  /** Family, given, additional names, prefixes, suffixes. */
  readonly parts?: readonly [string, string, string, string, string] | undefined;
  readonly phones: readonly { readonly number: string; readonly type: string | undefined }[];
  readonly mails: readonly { readonly address: string; readonly type: string | undefined }[];
  readonly organisation?: string | undefined;
  readonly note?: string | undefined;
}

/** Contacts as vCards of version 4.0 (RFC 6350), one behind the other. */
export const writeVcards = (contacts: readonly Contact[]): string =>
  contacts.map((contact) => writeContentLines(linesOf(contact))).join('');

function linesOf({ name, parts, phones, mails, organisation, note }: Contact): ContentLine[] {
  const typed = (type: string | undefined) => (type ? { parameters: { TYPE: type } } : {});
  return [
    { name: 'BEGIN', value: 'VCARD' },
    { name: 'VERSION', value: '4.0' },
    { name: 'FN', value: escapeText(name) },
    ...(parts ? [{ name: 'N', value: parts.map(escapeText).join(';') }] : []),
    ...phones.map(({ number, type }) => ({ name: 'TEL', ...typed(type), value: escapeText(number) })),
    ...mails.map(({ address, type }) => ({ name: 'EMAIL', ...typed(type), value: escapeText(address) })),
    ...(organisation ? [{ name: 'ORG', value: escapeText(organisation) }] : []),
    ...(note ? [{ name: 'NOTE', value: escapeText(note) }] : []),
    { name: 'END', value: 'VCARD' },
  ];
}
