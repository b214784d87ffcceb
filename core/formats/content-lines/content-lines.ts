import { FormatError } from '../../bytes/format-error.ts';

/** One property of a vCard or an iCalendar object (RFC 6350 section 3.3, RFC 5545 section 3.1). */
export interface ContentLine {
  readonly name: string;
  /** Values by parameter, in their order. */
  readonly parameters?: Readonly<Record<string, string | readonly string[]>>;
  /** As it stands in the line: text is escaped already. */
  readonly value: string;
}

const mostOctets = 75;

/** A text value: backslash, comma, semicolon and line ends escaped (RFC 6350 section 3.4, RFC 5545 section 3.3.11). */
export const escapeText = (text: string): string =>
  text
    .replace(/[\\,;]/g, '\\$&')
    .replace(/\r\n|\r|\n/g, '\\n')
    .replace(controls, '');

/** Neither format has room for control characters other than tabs. */
const controls = /(?!\t)\p{Cc}/gu;

export const unescapeText = (value: string): string =>
  value.replace(/\\(.)/gs, (_, char: string) => (char === 'n' || char === 'N' ? '\n' : char));

/** The parts of a value that has several, at separators that are not escaped. */
export function splitValue(value: string, separator: ';' | ','): string[] {
  const parts: string[] = [];
  let part = '';
  for (let i = 0; i < value.length; i++) {
    if (value[i] === '\\') part += value.slice(i, ++i + 1);
    else if (value[i] === separator) {
      parts.push(part);
      part = '';
    } else part += value[i];
  }
  return [...parts, part];
}

/** A parameter's value stands in quotes where it has a character that would end it. */
const parameterValue = (value: string) => {
  const plain = value.replace(/["\p{Cc}]/gu, "'");
  return /[,;:]/.test(plain) ? `"${plain}"` : plain;
};

/** Lines with their ends, folded to 75 octets without cutting a character (RFC 6350 section 3.2). */
export function writeContentLines(lines: readonly ContentLine[]): string {
  return lines.map((line) => `${folded(lineText(line))}\r\n`).join('');
}

function lineText({ name, parameters = {}, value }: ContentLine): string {
  const written = Object.entries(parameters).map(
    ([key, values]) => `;${key}=${[values].flat().map(parameterValue).join(',')}`,
  );
  // Whatever a value is, it begins no line of its own.
  return `${name}${written.join('')}:${value.replace(controls, '')}`;
}

function folded(text: string): string {
  const encoder = new TextEncoder();
  const lines: string[] = [];
  let line = '';
  let octets = 0;
  for (const char of text) {
    const size = encoder.encode(char).length;
    if (octets + size > mostOctets) {
      lines.push(line);
      line = ' ';
      octets = 1;
    }
    line += char;
    octets += size;
  }
  return [...lines, line].join('\r\n');
}

/** Reads content lines, unfolding them. @throws FormatError naming the line that is none */
export function readContentLines(text: string): ContentLine[] {
  const whole = text.replace(/\r?\n[ \t]/g, '');
  return whole
    .split(/\r?\n/)
    .filter((line) => line !== '')
    .map((line, i) => {
      const match =
        /^([A-Za-z0-9.-]+)((?:;[A-Za-z0-9-]+=(?:"[^"]*"|[^";:,]*)(?:,(?:"[^"]*"|[^";:,]*))*)*):(.*)$/s.exec(
          line,
        );
      if (!match)
        throw new FormatError('content lines', 'line', i + 1, `“${line.slice(0, 40)}” is not a property`);
      const parameters: Record<string, string | string[]> = {};
      for (const [, key, values] of match[2]!.matchAll(/;([A-Za-z0-9-]+)=((?:"[^"]*"|[^";:])*)/g)) {
        const list = [...values!.matchAll(/"([^"]*)"|([^",]+)/g)].map(
          ([, quoted, plain]) => quoted ?? plain!,
        );
        parameters[key!.toUpperCase()] = list.length === 1 ? list[0]! : list;
      }
      const hasParameters = Object.keys(parameters).length > 0;
      return { name: match[1]!.toUpperCase(), ...(hasParameters && { parameters }), value: match[3]! };
    });
}
