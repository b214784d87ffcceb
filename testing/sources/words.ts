/** What a person may come to read, out of the sources: `npm run words` lists it, a test looks through it. */
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import ts from 'typescript';
import { parse as parseComponent } from 'vue/compiler-sfc';
import { isTest } from './imports.ts';

type RootNode = NonNullable<NonNullable<ReturnType<typeof parseComponent>['descriptor']['template']>['ast']>;
type TemplateChildNode = RootNode['children'][number];
/** As the compiler of Vue numbers them. */
const NodeTypes = { ELEMENT: 1, TEXT: 2, INTERPOLATION: 5, ATTRIBUTE: 6, DIRECTIVE: 7 } as const;

/** One string, where it stands. What is filled in stands as …. */
export interface Words {
  /** From the root of the project. */
  readonly file: string;
  readonly line: number;
  readonly text: string;
}

/** Attributes of the interface that are read out or shown. */
const shownAttributes =
  /^(title|label|placeholder|aria-label|alt|description|content|tooltip|confirm-button-text|cancel-button-text|words|text|empty-text)$/;

/** Sentences and labels, but no names of things, addresses, classes, scripts or statements of SQL. */
function isRead(text: string): boolean {
  const words = text.trim();
  if (!/[A-Za-z]{2}/.test(words) || /^[\w.:/@#%${}()[\]<>|=&?*\\+;,'"`-]*$/.test(words)) return false;
  if (/^(SELECT|INSERT|UPDATE|DELETE|CREATE|DROP|ALTER|PRAGMA|WITH|WHERE|BEGIN|ORDER BY|AND )\b/.test(words))
    return false;
  if (/^[a-z-]+( [a-z-]+)*$/.test(words) && words.split(' ').some((word) => word.includes('-'))) return false;
  return /\s/.test(words) || /^[A-Z“]/.test(words);
}

function wordsOfScript(file: string, source: string, firstLine = 0): Words[] {
  const tree = ts.createSourceFile(file, source, ts.ScriptTarget.Latest, true);
  const found: Words[] = [];
  const add = (node: ts.Node, text: string) => {
    const { line } = tree.getLineAndCharacterOfPosition(node.getStart());
    if (isRead(text))
      found.push({ file, line: firstLine + line + 1, text: text.replace(/\s+/g, ' ').trim() });
  };
  const visit = (node: ts.Node): void => {
    if (ts.isImportDeclaration(node) || ts.isExportDeclaration(node) || ts.isTypeNode(node)) return;
    if (ts.isStringLiteral(node) || ts.isNoSubstitutionTemplateLiteral(node)) add(node, node.text);
    if (ts.isTemplateExpression(node))
      add(node, node.head.text + node.templateSpans.map(({ literal }) => `…${literal.text}`).join(''));
    ts.forEachChild(node, visit);
  };
  visit(tree);
  return found;
}

function wordsOfTemplate(file: string, root: RootNode): Words[] {
  const found: Words[] = [];
  const add = (line: number, text: string) => {
    const words = text.replace(/\s+/g, ' ').trim();
    if (/[A-Za-z]{2}/.test(words)) found.push({ file, line, text: words });
  };
  const visit = (node: RootNode | TemplateChildNode): void => {
    if (node.type === NodeTypes.ELEMENT) {
      for (const prop of node.props) {
        const { line } = prop.loc.start;
        if (prop.type === NodeTypes.ATTRIBUTE && shownAttributes.test(prop.name))
          add(line, prop.value?.content ?? '');
        const bound = prop.type === NodeTypes.DIRECTIVE && prop.exp?.loc.source;
        if (bound) found.push(...wordsOfScript(file, `(${bound})`, line - 1));
      }
    }
    // Text and what is filled into it read as one.
    let line = 0;
    let text = '';
    const end = () => {
      add(line, text);
      text = '';
    };
    for (const child of 'children' in node ? (node.children as TemplateChildNode[]) : []) {
      if (typeof child !== 'object') continue;
      if (child.type === NodeTypes.TEXT) {
        if (text === '') ({ line } = child.loc.start);
        text += child.content;
      } else if (child.type === NodeTypes.INTERPOLATION) {
        if (text === '') ({ line } = child.loc.start);
        text += '…';
        found.push(...wordsOfScript(file, `(${child.content.loc.source})`, child.loc.start.line - 1));
      } else {
        end();
        visit(child);
      }
    }
    end();
  };
  visit(root);
  return found;
}

/** @param file from the root of the project: TypeScript or a component */
export function wordsOf(root: string, file: string): Words[] {
  if (isTest(file)) return [];
  const source = readFileSync(join(root, file), 'utf8');
  if (file.endsWith('.ts')) return wordsOfScript(file, source);
  const { descriptor } = parseComponent(source, { filename: file });
  const script = descriptor.scriptSetup ?? descriptor.script;
  return [
    ...(descriptor.template?.ast ? wordsOfTemplate(file, descriptor.template.ast) : []),
    ...(script ? wordsOfScript(file, script.content, script.loc.start.line - 1) : []),
  ];
}
