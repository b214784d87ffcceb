import { homedir } from 'node:os';
import { join } from 'node:path';
import { Command, CommanderError, InvalidArgumentError, Option } from 'commander';
import { offsiteCopies } from '@keen-larder/contract/larder/offsite.ts';
import {
  exportForms,
  exportPackings,
  type ExportForm,
  type ExportPacking,
} from '@keen-larder/core/larder/export-plan.ts';
import { findInLarder } from './find.ts';
import {
  offsiteMove,
  offsiteRestore,
  offsiteStatus,
  offsiteSync,
  type OffsiteOptions,
  type OffsiteRestoreOptions,
} from './offsite.ts';
import { compareSets, compareWithPhone, type CompareOptions } from './compare.ts';
import { exportSet, listSets, showOrder, verifySets } from './larder-commands.ts';
import { secretFrom } from './passphrase.ts';
import { importFiles, type ImportOptions } from './import.ts';
import { inspectFile } from './inspecting/inspect.ts';
import { complain } from './output.ts';
import { usualServerPort } from '@keen-larder/server/links/adb/server.ts';
import {
  addOperator,
  changeOperatorPassphrase,
  exportShopRecord,
  listOperators,
  removeOperator,
  verifyShopRecord,
  type PeopleOptions,
} from './people.ts';
import { rebuildCatalogue } from './rebuild.ts';
import { scrubShelf, type ScrubOptions } from './scrub.ts';
import { changePassphrase, sealLarder, sealStatus, unsealLarder, type SealOptions } from './seal.ts';
import { surveyPhone, type SurveyOptions } from './survey.ts';

const home = [
  '--home <dir>',
  'folder of the catalogue and the shelf',
  join(homedir(), '.keen-larder'),
] as const;

/**
 * Carries out a `larder` command, as words without the program's name.
 * @returns its exit code: 0 good, 1 a finding, 2 wrong use
 */
export async function runLarder(words: readonly string[]): Promise<number> {
  let code = 0;
  const program = larderProgram((ended) => {
    code = ended;
  });
  try {
    await program.parseAsync(words, { from: 'user' });
    return code;
  } catch (error) {
    if (error instanceof CommanderError) return error.exitCode === 0 ? 0 : 2;
    complain((error as Error).message);
    return 2;
  }
}

/** @param done is told each command's exit code */
function larderProgram(done: (code: number) => void): Command {
  const program = new Command('larder')
    .description('Works with images and with the larder without the application')
    .exitOverride()
    .configureOutput({ outputError: (text, write) => write(text) });

  program
    .command('inspect <file>')
    .description('says what an image file is and what lies inside it, compressed or not')
    .option('--json', 'as JSON')
    .action(async (file: string, { json }: { json?: boolean }) =>
      done(await inspectFile(file, json ?? false)),
    );

  program
    .command('sets')
    .description('lists the sets')
    .option(...home)
    .option('--json', 'as JSON')
    .action(async (options: { home: string; json?: boolean }) =>
      done(await listSets(options.home, options.json ?? false)),
    );

  program
    .command('verify [set]')
    .description('reads sets back from the shelf and compares their digests; all sets, or one by id or name')
    .option(...home)
    .action(async (set: string | undefined, options: { home: string }) =>
      done(await verifySets(options.home, set)),
    );

  program
    .command('export <set> <folder>')
    .description('writes a set, by id or name, into a new folder, with SHA256SUMS, MD5SUMS and CONTENTS.txt')
    .addOption(new Option('--form <form>', 'what is written').choices([...exportForms]).default('raw'))
    .addOption(
      new Option('--pack <packing>', 'what it is compressed with')
        .choices([...exportPackings])
        .default('none'),
    )
    .option('--split <mebibytes>', 'largest sparse file', wholeNumber)
    .option('--seal', 'as age files that a passphrase opens: KEEN_LARDER_EXPORT_PASSPHRASE, or asked for')
    .option('--recipient <key>', 'as age files for a public key; may be given again', again, [])
    .option('--images <names>', 'some images only, with commas between', (names) => names.split(','))
    .option(...home)
    .action(async (set: string, folder: string, options: ExportOptionValues) =>
      done(
        await exportSet(options.home, set, folder, {
          form: options.form,
          packing: options.pack,
          ...(options.split && { splitMebibytes: options.split }),
          ...(options.images && { picked: options.images }),
          ...(options.seal && {
            passphrase: await secretFrom('KEEN_LARDER_EXPORT_PASSPHRASE', 'Passphrase of the export'),
          }),
          ...(options.recipient.length > 0 && { recipients: options.recipient }),
        }),
      ),
    );

  program
    .command('order')
    .description('says which sets the rules for keeping would let go; ends with 1 where there are any')
    .requiredOption('--dry-run', 'only says it: sets go in the application, where what goes is seen before')
    .option(...home)
    .option('--json', 'as JSON')
    .action(async (options: { home: string; json?: boolean }) =>
      done(await showOrder(options.home, options.json ?? false)),
    );

  program
    .command('find <words...>')
    .description(
      'looks for a name, a package, a build, a checksum or a file’s name; ends with 1 where there is none',
    )
    .option(...home)
    .option('--json', 'as JSON')
    .action(async (words: string[], options: { home: string; json?: boolean }) =>
      done(await findInLarder(options.home, words.join(' '), options.json ?? false)),
    );

  program
    .command('compare <first> [second]')
    .description('says what differs between two sets, by id or name; ends with 1 where something does')
    .option('--phone <phone>', 'instead of a second set, by address or serial; the application must not run')
    .option('--adb-port <n>', 'port of the local adb server', wholeNumber, usualServerPort)
    .option('--files <partition>', 'compares the files of a partition instead')
    .option('--part <name>', 'the file system within it, where it has several')
    .option(...home)
    .option('--json', 'as JSON')
    .action(
      async (
        first: string,
        second: string | undefined,
        { phone, ...options }: CompareOptions & { phone?: string; adbPort: number },
      ) => {
        if ((second === undefined) === (phone === undefined)) {
          complain('Name a second set, or a phone with --phone.');
          done(2);
        } else if (phone !== undefined) done(await compareWithPhone(first, { ...options, phone }));
        else done(await compareSets(first, second!, options));
      },
    );

  program
    .command('scrub')
    .description(
      'reads again what is due on the shelf; ends with 1 where something is damaged; the application must not be running',
    )
    .option('--all', 'reads all of it')
    .option(...home)
    .option('--json', 'as JSON')
    .action(async (options: ScrubOptions) => done(await scrubShelf(options)));

  const seal = program
    .command('seal')
    .description('the seal of the larder, by a passphrase; the application must not be running');

  seal
    .command('status')
    .description('says whether it is sealed; ends with 1 where something is not')
    .option(...home)
    .option('--json', 'as JSON')
    .action(async (options: SealOptions) => done(await sealStatus(options)));

  seal
    .command('on')
    .description('seals everything on the shelf, or goes on with it')
    .option(...home)
    .option('--json', 'as JSON')
    .action(async (options: SealOptions) => done(await sealLarder(options)));

  seal
    .command('off')
    .description('takes the seal off')
    .option(...home)
    .option('--json', 'as JSON')
    .action(async (options: SealOptions) => done(await unsealLarder(options)));

  seal
    .command('passphrase')
    .description('changes the passphrase')
    .option(...home)
    .action(async (options: SealOptions) => done(await changePassphrase(options)));

  addPeopleCommands(program, done);

  addOffsiteCommands(program, done);

  program
    .command('import <path>')
    .description('keeps a file or a folder of files as a set, unpacked; the application must not be running')
    .option('--phone <serial>', 'the phone that the images are of')
    .option('--firmware', 'they are of a model, which --maker and --model name, and not of one phone')
    .option('--maker <name>', 'its maker, when the larder does not know it yet')
    .option('--model <name>', 'its model, likewise')
    .option('--label <text>', 'name of the set')
    .option('--as <file=partition>', 'what a file is the image of; may be given again', pair, {})
    .option('--confirm <check>', 'goes on in spite of a check; may be given again', again, [])
    .option(...home)
    .action(async (path: string, options: ImportOptions) => done(await importFiles(path, options)));

  program
    .command('rebuild')
    .description('rebuilds the catalogue from the shelf alone; the application must not be running')
    .option(...home)
    .action(async (options: { home: string }) => done(await rebuildCatalogue(options.home)));

  program
    .command('survey <phone>')
    .description('tries what a phone’s own tools can do, without writing anything; by address or serial')
    .option('--adb-port <n>', 'port of the local adb server', wholeNumber, usualServerPort)
    .option(...home)
    .option('--json', 'as JSON')
    .action(async (phone: string, options: SurveyOptions) => done(await surveyPhone(phone, options)));

  return program;
}

/** The copies of the larder elsewhere. */
function addOffsiteCommands(program: Command, done: (code: number) => void): void {
  const offsite = program
    .command('offsite')
    .description(
      'the copies of the larder in a bucket and on another disk; the application must not be running',
    );
  const which = () => new Option('--copy <copy>', 'which of two copies').choices([...offsiteCopies]);

  offsite
    .command('status')
    .description('says what of the larder the copy has; ends with 1 where something is missing')
    .addOption(which())
    .option(...home)
    .option('--json', 'as JSON')
    .action(async (options: OffsiteOptions) => done(await offsiteStatus(options)));

  offsite
    .command('sync')
    .description('sends what is missing, and removes what is needed no more')
    .addOption(which())
    .option(...home)
    .option('--json', 'as JSON')
    .action(async (options: OffsiteOptions) => done(await offsiteSync(options)));

  offsite
    .command('move <sets...>')
    .description('moves sets, by id or name, into the copy: each is read back from there, and goes here')
    .addOption(which())
    .option(...home)
    .option('--json', 'as JSON')
    .action(async (sets: string[], options: OffsiteOptions) => done(await offsiteMove(sets, options)));

  offsite
    .command('restore')
    .description('fetches what the larder does not have, also into a home folder that is empty')
    .option('--bucket <name>', 'where the home folder does not know it')
    .option('--folder <dir>', 'of a copy on another disk, likewise')
    .option('--endpoint <url>', 'of the service; left out for the usual one of the region')
    .option('--region <name>', 'of the bucket', 'us-east-1')
    .option('--prefix <names/>', 'before the names of all objects', '')
    .option('--set <set>', 'one set alone, by id or name')
    .addOption(which())
    .option(...home)
    .option('--json', 'as JSON')
    .action(async (options: OffsiteRestoreOptions) => done(await offsiteRestore(options)));
}

/** Who works at the bench, and the record of what was done. */
function addPeopleCommands(program: Command, done: (code: number) => void): void {
  const operators = program
    .command('operators')
    .description('who signs in at the bench; the application must not be running');
  operators
    .command('list')
    .description('says who does; ends with 1 where nobody is named')
    .option(...home)
    .option('--json', 'as JSON')
    .action(async (options: PeopleOptions) => done(await listOperators(options)));
  operators
    .command('add <name>')
    .description('adds an operator; the first one is an owner')
    .option('--owner', 'may erase phones, change the seal and name operators')
    .option(...home)
    .action(async (name: string, options: PeopleOptions & { owner?: boolean }) =>
      done(await addOperator(name, options)),
    );
  operators
    .command('passphrase <name>')
    .description('gives an operator a new passphrase, as where the old one is forgotten')
    .option(...home)
    .action(async (name: string, options: PeopleOptions) =>
      done(await changeOperatorPassphrase(name, options)),
    );
  operators
    .command('remove <name>')
    .description('removes an operator')
    .option(...home)
    .action(async (name: string, options: PeopleOptions) => done(await removeOperator(name, options)));

  const record = program.command('record').description('what was done at the bench, and by whom');
  record
    .command('verify [file]')
    .description(
      'follows the record, or an export of it, from line to line; ends with 1 where something was changed',
    )
    .option('--against <file>', 'an earlier export, on which it must go on')
    .option(...home)
    .option('--json', 'as JSON')
    .action(async (file: string | undefined, options: PeopleOptions & { against?: string }) =>
      done(await verifyShopRecord({ ...options, ...(file !== undefined && { file }) })),
    );
  record
    .command('export')
    .description('writes it to standard output, a line of JSON each')
    .option(...home)
    .action(async (options: PeopleOptions) => done(await exportShopRecord(options)));
}

function again(value: string, before: string[]): string[] {
  return [...before, value];
}

function pair(value: string, before: Record<string, string>): Record<string, string> {
  const at = value.lastIndexOf('=');
  if (at < 1) throw new InvalidArgumentError('Write it as FILE=PARTITION.');
  return { ...before, [value.slice(0, at)]: value.slice(at + 1) };
}

interface ExportOptionValues {
  readonly home: string;
  readonly form: ExportForm;
  readonly pack: ExportPacking;
  readonly split?: number;
  readonly images?: string[];
  readonly seal?: boolean;
  readonly recipient: string[];
}

function wholeNumber(text: string): number {
  const value = Number(text);
  if (!Number.isInteger(value) || value < 1) throw new InvalidArgumentError('It is no whole number above 0.');
  return value;
}
