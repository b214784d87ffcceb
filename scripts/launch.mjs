// Starts one of our programs in this terminal and passes signals on to it.
import { spawn } from 'node:child_process';
import { join } from 'node:path';
import { environment, flagsFor } from './node-flags.mjs';
import { buildInterface, buildPrograms, installDependencies, requireNode, root } from './prepare.mjs';

/** @param options.interface whether the interface must be built first; the demo builds it meanwhile */
export async function launch(program, { interface: needsInterface = true } = {}) {
  requireNode();
  installDependencies();
  const isQuestion = process.argv.slice(2).some((each) => each === '--help' || each === '-h');
  await buildPrograms();
  if (needsInterface && !isQuestion) await buildInterface();
  const child = spawn(
    process.execPath,
    [...flagsFor(program), join(root, program), ...process.argv.slice(2)],
    {
      cwd: root,
      env: environment,
      stdio: 'inherit',
    },
  );
  for (const signal of ['SIGINT', 'SIGTERM']) process.on(signal, () => child.kill(signal));
  child.on('exit', (code) => process.exit(code ?? 1));
}
