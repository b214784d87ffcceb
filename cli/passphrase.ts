import { createInterface } from 'node:readline/promises';
import { Writable } from 'node:stream';

/** A secret out of the environment, or else typed; what is typed is not shown. */
export async function secretFrom(variable: string, question: string): Promise<string> {
  const given = process.env[variable];
  if (given !== undefined) return given;
  process.stderr.write(`${question}: `);
  const nowhere = new Writable({ write: (_part, _encoding, done) => done() });
  const terminal = createInterface({ input: process.stdin, output: nowhere, terminal: process.stdin.isTTY });
  try {
    return await terminal.question('');
  } finally {
    terminal.close();
    process.stderr.write('\n');
  }
}
