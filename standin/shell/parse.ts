/** One command with its words and where its output goes. */
export interface Simple {
  readonly words: readonly string[];
  /** Of `{ …; }`: the lists within, instead of words. */
  readonly group?: readonly Pipeline[];
  readonly dropOut: boolean;
  readonly dropErr: boolean;
  readonly errToOut: boolean;
}

/** Commands joined by pipes, and how the line goes on from the one before. */
export interface Pipeline {
  readonly after: ';' | '&&' | '||';
  readonly commands: readonly Simple[];
}

export class SyntaxFailure extends Error {}

type Token = { readonly operator: string } | { readonly word: string };

const operators = ['2>&1', '2>/dev/null', '>/dev/null', '&&', '||', ';', '|', '\n'];

/** The part of the shell's grammar that the phone's small shell has: words, quotes, pipes, lists. */
export function parse(script: string): Pipeline[] {
  const all = [...tokens(script)];
  const found = parseList(all);
  if (all.length > 0) throw new SyntaxFailure("syntax error: unexpected '}'");
  return found;
}

/** Takes tokens up to the end of the list or of the group that it stands in. */
function parseList(rest: Token[]): Pipeline[] {
  const pipelines: Pipeline[] = [];
  let after: Pipeline['after'] = ';';
  let commands: Simple[] = [];
  let current:
    | { words: string[]; group?: Pipeline[]; dropOut: boolean; dropErr: boolean; errToOut: boolean }
    | undefined;
  const open = () => (current ??= { words: [], dropOut: false, dropErr: false, errToOut: false });
  const endCommand = () => {
    if (current && (current.words.length || current.group)) commands.push(current);
    current = undefined;
  };
  const endPipeline = () => {
    endCommand();
    if (commands.length) pipelines.push({ after, commands });
    commands = [];
  };
  for (let token = rest.shift(); token; token = rest.shift()) {
    if ('word' in token) open().words.push(token.word);
    else if (token.operator === '{') {
      open().group = parseList(rest);
      const close = rest.shift();
      if (!close || !('operator' in close)) throw new SyntaxFailure("syntax error: no closing '}'");
    } else if (token.operator === '}') {
      rest.unshift(token);
      break;
    } else if (token.operator === '|') endCommand();
    else if (token.operator === '2>/dev/null') open().dropErr = true;
    else if (token.operator === '>/dev/null') open().dropOut = true;
    else if (token.operator === '2>&1') open().errToOut = true;
    else {
      endPipeline();
      after = token.operator === '&&' || token.operator === '||' ? token.operator : ';';
    }
  }
  endPipeline();
  return pipelines;
}

function* tokens(script: string): Generator<Token> {
  let word: string | undefined;
  for (let i = 0; i < script.length;) {
    const char = script[i]!;
    if (char === "'" || char === '"') {
      const end = closing(script, i);
      word = (word ?? '') + unescape(script.slice(i + 1, end), char);
      i = end + 1;
      continue;
    }
    if (char === '\\' && i + 1 < script.length) {
      word = (word ?? '') + script[i + 1]!;
      i += 2;
      continue;
    }
    const rest = script.slice(i).replace(/^(\d?>)\s+/, '$1');
    const operator = operators.find((each) => rest.startsWith(each));
    if (operator && (word === undefined || !operator.startsWith('2'))) {
      if (word !== undefined) yield { word };
      word = undefined;
      yield { operator };
      i += operator.length + (script.length - i - rest.length);
      continue;
    }
    if ((char === '{' || char === '}') && word === undefined && /^.(?:[\s;|]|$)/s.test(script.slice(i))) {
      yield { operator: char };
      i++;
      continue;
    }
    if (/[<>(){}&$`*?]/.test(char)) throw new SyntaxFailure(`syntax error: unexpected '${char}'`);
    if (/\s/.test(char)) {
      if (word !== undefined) yield { word };
      word = undefined;
    } else {
      word = (word ?? '') + char;
    }
    i++;
  }
  if (word !== undefined) yield { word };
}

function closing(script: string, start: number): number {
  const quote = script[start]!;
  for (let i = start + 1; i < script.length; i++) {
    if (quote === '"' && script[i] === '\\') i++;
    else if (script[i] === quote) return i;
  }
  throw new SyntaxFailure(`syntax error: no closing quote`);
}

const unescape = (text: string, quote: string) => (quote === '"' ? text.replace(/\\(["\\$`])/g, '$1') : text);
