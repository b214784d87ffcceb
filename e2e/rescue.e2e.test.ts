// Broken at the practice bench, found and mended in Rescue, proved at the end: only through the interface.
import { beforeAll, expect, it } from 'vitest';
import { startImaging } from '@keen-larder/server/runs/imaging/imaging.ts';
import { serial as knot3, until } from '../testing/bench.ts';
import { isLong } from '../testing/effort.ts';
import { openStory } from './story.ts';

const knot5 = 'TW5K-20316';
const reed2 = 'MR2Q-44107';
const others = [knot5, reed2];
const story = openStory(others);

/** Somebody kept these phones before anything happened to them: what the stories put back, and what is compared besides. */
const kept: Readonly<Record<string, RegExp>> = {
  [knot3]: /^(?!userdata|cache|modem$|recovery|gpt-)/,
  [knot5]: /^(?!userdata|modem_|super|gpt-)/,
  [reed2]: /^(?!userdata|frp|cache|modem$|recovery|gpt-|super)/,
};
beforeAll(async () => {
  const { app } = story.serving;
  for (const serial of [knot3, ...others]) {
    const wanted = kept[serial]!;
    const mode = serial === reed2 ? 'loader' : 'recovery';
    void story.phoneOf(serial).start(mode);
    await until(`${serial} in ${mode}`, () => app.bench.linkIn(serial, mode) !== undefined);
    const picked = (await app.bench.partitions(serial))
      .map(({ name }) => name)
      .filter((name) => wanted.test(name));
    const confirmed = ['identity-left-out', 'battery'];
    const { id } = await startImaging(app, serial, { picked, label: 'While it was well', confirmed });
    expect(await app.engine.ended(id)).toMatchObject({ state: 'done' });
  }
});

const stories = [
  {
    serial: knot3,
    build: 'Half a firmware',
    keys: 'recovery',
    finding: 'does-not-start',
    repair: 'boot-and-system',
  },

  { serial: knot5, build: 'Wrong slot', keys: 'bootloader', finding: 'other-slot', repair: 'slot' },
  {
    serial: reed2,
    build: 'Older early loader',
    keys: 'loader',
    finding: 'does-not-start',
    repair: 'early-loader',
  },
  {
    serial: knot3,
    build: 'Identity wiped',
    keys: 'recovery',
    finding: 'identity-lost',
    repair: 'identity',
  },
  {
    serial: reed2,
    build: 'Unsigned boot on a locked phone',
    keys: 'loader',
    finding: 'does-not-start',
    repair: 'boot',
  },
];

// With `npm run kills`.
it.runIf(isLong).each(stories)(
  '$build on $serial is found and mended',
  async ({ serial, build, keys, finding, repair }) => {
    const { page } = story;
    const phone = story.phoneOf(serial);
    const card = page.locator(`[data-serial="${serial}"]`);
    await story.go('/practice');
    await page.getByRole('link', { name: new RegExp(serial) }).click();
    const hands = page.locator(`[data-practice="${serial}"]`);
    await hands.getByRole('button', { name: build, exact: true }).click();
    await until(
      'the phone to have started or not',
      () => phone.state().phase !== 'off' && phone.state().phase !== 'starting',
    );
    await hands.getByRole('button', { name: `Keys for ${keys}` }).click();
    await until(keys, () => story.serving.app.bench.linkIn(serial, keys as 'recovery') !== undefined);
    await card.getByText(keys, { exact: true }).waitFor();

    await card.click();
    await page.getByRole('link', { name: 'Rescue' }).click();
    await page.locator(`[data-finding="${finding}"]`).waitFor();
    await page.locator(`[data-repair="${repair}"][data-smallest="true"]`).waitFor();
    const tray = page.getByRole('complementary', { name: 'Tray' });
    // The smallest is in the tray already.
    const go = tray.getByRole('button', {
      name: repair === 'slot' ? /^Switch to slot a/ : /^Restore \d+ partition/,
    });
    await go.waitFor();
    await until('the sheet', async () => (await tray.locator('[data-check]').count()) > 0);
    for (const tick of await tray.getByText('I understand').all()) await tick.click();
    await tray.getByRole('textbox', { name: 'Last four characters of the serial' }).fill(serial.slice(-4));
    await go.click();
    await tray.locator('[data-run][data-state="done"]').waitFor();
    expect(phone.state()).toMatchObject({ phase: 'running', mode: 'system', hasImei: true });
    await page.locator('[data-finding="no-fault"], [data-finding="not-judged"]').first().waitFor();

    if (repair === 'slot') return;
    await tray.getByRole('link', { name: 'Proof, log and chart' }).click();
    await page.getByRole('heading', { name: 'Proof of return' }).waitFor();
    const rows = page.locator('[data-proof]');
    expect(await rows.count()).toBeGreaterThan(5);
    const results = await rows.evaluateAll((all) => all.map((row) => row.className));
    expect(results).not.toContain('different');
    expect(results.filter((result) => result === 'same').length).toBeGreaterThan(3);
    const page2 = await (
      await fetch(`${story.url}/api/runs/${page.url().split('/').at(-1)}/proof.html`)
    ).text();
    expect(page2).toMatch(/Proof of return[^]*SHA-256[^]*[0-9a-f]{64}/);
  },
);
