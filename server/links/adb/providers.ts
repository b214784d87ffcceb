import type { ProviderQuestion } from '@keen-larder/core/records/provided.ts';
import { PhoneRefusal } from '../../failures.ts';
import type { ProviderAccess } from '../phone-link.ts';
import { commands } from './commands.ts';
import type { AdbShell } from './shell.ts';

/** All messages of a phone in use. */
const mostBytes = 64 << 20;

/** Content providers of a running system, as its shell may ask them. */
export class AdbProviders implements ProviderAccess {
  constructor(private readonly shell: AdbShell) {}

  async ask(question: ProviderQuestion, signal?: AbortSignal): Promise<string> {
    const { stdout, stderr, exitCode } = await this.shell.run(commands.queryProvider(question), {
      ...{ signal, mostBytes, quiet: { ms: 60_000 } },
    });
    // It ends well whatever comes of it.
    if (exitCode === 0 && /^(?:Row: \d|No result found)/m.test(stdout)) return stdout;
    const said = (stderr || stdout).trim().split('\n')[0] ?? '';
    throw new PhoneRefusal(`The phone does not tell them without root: “${said.slice(0, 200)}”.`, said);
  }
}
