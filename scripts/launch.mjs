// Starts one of our TypeScript programs in this terminal and passes signals on to it.
import { spawn } from 'node:child_process';
import { join } from 'node:path';
import { build, installDependencies, requireNode, root } from './prepare.mjs';

export function launch(program) {
  requireNode();
  installDependencies();
  build();
  const child = spawn(process.execPath, ['--import', 'tsx', join(root, program), ...process.argv.slice(2)], {
    cwd: root,
    stdio: 'inherit',
  });
  for (const signal of ['SIGINT', 'SIGTERM']) process.on(signal, () => child.kill(signal));
  child.on('exit', (code) => process.exit(code ?? 1));
}
