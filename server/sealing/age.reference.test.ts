// Files that leave sealed, against Debian's `age` (another implementation of age-encryption.org/v1, in Go).
import { execFileSync, spawnSync } from 'node:child_process';
import { createHash, randomBytes } from 'node:crypto';
import { readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, expect, it } from 'vitest';
import { onePiece } from '@keen-larder/core/bytes/one-piece.ts';
import { testFolder } from '../../testing/folder.ts';
import { LarderBench, type OpenLarder } from '../../testing/larder.ts';
import { exportOptions, filesOf, writeBeside, writeFileOf } from '../runs/files/exporting.ts';
import { ageSealed, requireRecipients, type AgeSeal } from './age.ts';

const folder = testFolder();
const at = (name: string) => join(folder.path, name);
const identities: { readonly path: string; readonly recipient: string }[] = [];
beforeAll(() => {
  for (const name of ['one', 'two', 'other']) {
    execFileSync('age-keygen', ['-o', at(name)], { stdio: 'ignore' });
    const recipient = execFileSync('age-keygen', ['-y', at(name)], { encoding: 'utf8' }).trim();
    identities.push({ path: at(name), recipient });
  }
});
afterAll(() => folder.remove());

async function sealed(seal: AgeSeal, plain: Buffer): Promise<string> {
  const parts: Uint8Array[] = [];
  for await (const part of ageSealed(seal, onePiece(plain), 10)) parts.push(part);
  const path = at('sealed.age');
  writeFileSync(path, Buffer.concat(parts));
  return path;
}
const opened = (path: string, identity: string) =>
  spawnSync('age', ['-d', '-i', identity, path], { maxBuffer: 64 << 20 });

/** `age` takes passphrases from a terminal alone. */
function openedByPassphrase(path: string, passphrase: string): Buffer {
  const out = at('opened');
  const terminal =
    'import pty,os,sys,time\npid,fd=pty.fork()\nif pid==0: os.execvp("age",["age","-d","-o",sys.argv[2],sys.argv[1]])\ntime.sleep(0.3)\nos.write(fd,(sys.argv[3]+"\\n").encode())\ntry:\n  while os.read(fd,1000): pass\nexcept OSError: pass\nsys.exit(os.waitstatus_to_exitcode(os.waitpid(pid,0)[1]))';
  execFileSync('python3', ['-c', terminal, path, out, passphrase], { stdio: 'pipe' });
  return readFileSync(out);
}

it('opens for each recipient and for nobody else, whatever the size', async () => {
  const [one, two, other] = identities;
  const recipients = [one!.recipient, two!.recipient];
  for (const bytes of [0, 1, 65_535, 65_536, 65_537, 1_000_003]) {
    const plain = randomBytes(bytes);
    const path = await sealed({ recipients }, plain);
    for (const { path: identity } of [one!, two!]) {
      const { status, stdout } = opened(path, identity);
      expect([bytes, status, stdout.equals(plain)]).toEqual([bytes, 0, true]);
    }
    expect(opened(path, other!.path).status).not.toBe(0);
  }
  const path = await sealed({ recipients }, randomBytes(100_000));
  const changed = readFileSync(path);
  changed[changed.length - 100]! ^= 1;
  writeFileSync(path, changed);
  expect(opened(path, one!.path).status).not.toBe(0);
});

it('opens by its passphrase', async () => {
  const plain = randomBytes(200_000);
  const path = await sealed({ passphrase: 'quinces in the dark' }, plain);
  expect(openedByPassphrase(path, 'quinces in the dark').equals(plain)).toBe(true);
  expect(() => openedByPassphrase(path, 'plums')).toThrow();
});

it('takes no recipient that is none', () => {
  const [one] = identities;
  const mistyped = one!.recipient.replace(/.$/, (last) => (last === 'q' ? 'p' : 'q'));
  expect(() => requireRecipients([one!.recipient])).not.toThrow();
  expect(() => requireRecipients([mistyped])).toThrow();
});

it('is how a set leaves: its files, and what tells of them', async () => {
  const bench = new LarderBench();
  try {
    const open: OpenLarder = await bench.open();
    const images = { boot: randomBytes(700_000), efs: randomBytes(300_000) };
    const set = open.larder.detail(await bench.keep(open, 'For the customer', images));
    const [one] = identities;
    const request = { form: 'raw', packing: 'none', recipients: [one!.recipient] } as const;
    const { options, picked, seal } = exportOptions(set, { ...request, recipients: [...request.recipients] });
    const written = [];
    for (const file of filesOf(open.larder, set, options, picked, seal))
      written.push(await writeFileOf(file, folder.path));
    await writeBeside(set, picked, written, folder.path, seal);
    for (const [name, plain] of Object.entries(images)) {
      const { stdout } = opened(at(`${name}.img.age`), one!.path);
      expect(stdout.equals(plain)).toBe(true);
    }
    execFileSync('sha256sum', ['-c', '--quiet', 'SHA256SUMS'], { cwd: folder.path });
    expect(opened(at('CONTENTS.txt.age'), one!.path).stdout.toString()).toContain('For the customer');
    const said = readdirSync(folder.path)
      .filter((name) => /age$|SUMS$/.test(name))
      .map((name) => readFileSync(at(name)));
    const digest = createHash('sha256').update(images.efs).digest('hex');
    for (const words of ['For the customer', 'TW3K-10482', digest])
      expect(said.some((bytes) => bytes.includes(words))).toBe(false);
  } finally {
    await bench.close();
  }
});
