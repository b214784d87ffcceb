// The larder is sealed from a terminal, looked at, and opened again.
import { randomBytes } from 'node:crypto';
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, expect, it } from 'vitest';
import { testFolder } from '../testing/folder.ts';
import { larderCommand } from '../testing/programs/larder-command.ts';

const folder = testFolder();
afterAll(() => folder.remove());
const home = join(folder.path, 'larder');
const passphrase = 'medlars in the cold cellar';

const larder = (words: readonly string[], secrets: Readonly<Record<string, string>> = {}) =>
  larderCommand([...words, '--home', home], secrets);
const knowing = { KEEN_LARDER_SEAL_PASSPHRASE: passphrase };

it('is sealed, stays closed to who has no passphrase, and is unsealed', async () => {
  const image = join(folder.path, 'boot.img');
  writeFileSync(image, randomBytes(900_000));
  const phone = ['--phone', 'TW3K-1', '--maker', 'Tidewell', '--model', 'Knot 3', '--confirm', 'unchecked'];
  await larder(['import', image, '--label', 'Before', ...phone, '--confirm', 'no-checksums']);
  expect(await larder(['seal', 'status'])).toMatchObject({ code: 1, out: 'The larder is not sealed.\n' });
  expect(await larder(['seal', 'on'], { KEEN_LARDER_SEAL_PASSPHRASE: 'short' })).toMatchObject({ code: 2 });

  const sealed = await larder(['seal', 'on'], knowing);
  expect(sealed).toMatchObject({
    code: 0,
    out: expect.stringMatching(/^The larder is sealed: (.*) of \1\.\n$/) as string,
  });
  const [, key] = /^Recovery key: (\S+)\n/.exec(sealed.err) ?? [];
  expect(key).toMatch(/^([A-Z2-7]{4}-){6}[A-Z2-7]{4}$/);
  expect(await larder(['seal', 'status'])).toMatchObject({ code: 0, out: 'The larder is sealed.\n' });

  expect(await larder(['verify'])).toMatchObject({
    code: 2,
    err: 'The larder is sealed. Unlock it with its passphrase.\n',
  });
  expect(await larder(['verify'], { KEEN_LARDER_SEAL_PASSPHRASE: 'plums' })).toMatchObject({
    code: 2,
    err: expect.stringMatching(/does not open it/) as string,
  });
  for (const secret of [passphrase, key!])
    expect(await larder(['verify'], { KEEN_LARDER_SEAL_PASSPHRASE: secret })).toMatchObject({ code: 0 });
  expect(await larder(['scrub', '--all'], knowing)).toMatchObject({ code: 0 });

  const next = { KEEN_LARDER_NEW_PASSPHRASE: 'another passphrase' };
  expect(await larder(['seal', 'passphrase'], { ...knowing, ...next })).toMatchObject({ code: 0 });
  expect((await larder(['verify'], knowing)).code).toBe(2);
  const opened = { KEEN_LARDER_SEAL_PASSPHRASE: 'another passphrase' };
  expect(await larder(['seal', 'off'], opened)).toMatchObject({ code: 0 });
  expect(await larder(['verify'])).toMatchObject({ code: 0, out: 'verified Before: 1 images\n' });
});
