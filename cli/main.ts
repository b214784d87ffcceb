/** The `larder` command. */
import { runLarder } from './program.ts';

process.exitCode = await runLarder(process.argv.slice(2));
