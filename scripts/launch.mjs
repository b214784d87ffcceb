// Starts one of our programs in this terminal and passes signals on to it.
import { spawn } from 'node:child_process';
import { join } from 'node:path';
import { environment, flagsFor } from './node-flags.mjs';
import {
  buildDemo,
  buildInterface,
  buildPrograms,
  installDependencies,
  requireNode,
  root,
} from './prepare.mjs';

/**
 * @param options.interface whether the interface must be built first
 * @param options.demo whether it is the demo: the other programs and the interface are built while it fills its larder
 */
export async function launch(program, { interface: needsInterface = true, demo = false } = {}) {
  requireNode();
  installDependencies();
  const isQuestion = process.argv.slice(2).some((each) => each === '--help' || each === '-h');
  await (demo ? buildDemo() : buildPrograms());
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
