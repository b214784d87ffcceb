// Without a mouse; and the things that are expected everywhere: links, the back button, themes, a server that goes.
import { expect, it } from 'vitest';
import { serial } from '../testing/bench.ts';
import { isLong } from '../testing/effort.ts';
import { openStory } from './story.ts';

const story = openStory();

it('images by keyboard alone', async () => {
  const { page } = story;
  await story.intoRecovery();
  await page.keyboard.press('?');
  await page.getByRole('dialog', { name: 'Keys and marks' }).waitFor();
  await page.keyboard.press('Escape');
  await page.getByRole('dialog', { name: 'Keys and marks' }).waitFor({ state: 'hidden' });

  // To the map by Tab, along its shelves by arrows, and pick by Space.
  const at = () => page.evaluate(() => document.activeElement?.getAttribute('data-partition'));
  await page.locator('#work').focus();
  for (let n = 0; n < 40 && !(await at()); n++) await page.keyboard.press('Tab');
  expect(await at()).toBe('boot');
  await page.keyboard.press('Space');
  for (let n = 0; n < 20 && (await at()) !== 'efs'; n++) await page.keyboard.press('ArrowRight');
  await page.keyboard.press('Space');
  await page.getByText('2 of 22 picked').waitFor();
  await page.keyboard.press('Space');
  await page.getByText('1 of 22 picked').waitFor();

  // On to the tray: the tick of the confirmation, then the button’s key.
  const tick = page.locator('[data-check="identity-left-out"] input[type=checkbox]');
  for (let n = 0; n < 80 && !(await tick.evaluate((box) => box === document.activeElement)); n++) {
    await page.keyboard.press('Tab');
  }
  await page.keyboard.press('Space');
  await page.keyboard.press('Control+Enter');
  await page.locator('[data-run][data-state="done"]').waitFor();
  expect(story.serving.app.larder.list()[0]).toMatchObject({ imageCount: 1 });

  // The keyboard goes where the eye goes: to the run in the tray, to the set that is opened, back to the name.
  const focused = () => page.evaluate(() => document.activeElement?.id ?? '');
  expect(await focused()).toBe('tray');
  await page.getByRole('link', { name: 'Open the set' }).focus();
  await page.keyboard.press('Enter');
  const pencil = page.getByRole('button', { name: 'Rename: name of the set' });
  await pencil.waitFor();
  expect(await focused()).toBe('work');
  await pencil.focus();
  await page.keyboard.press('Enter');
  await page.getByRole('textbox', { name: 'name of the set' }).fill('kept by keyboard');
  await page.keyboard.press('Enter');
  await page.getByRole('heading', { name: 'kept by keyboard' }).waitFor();
  expect(await pencil.evaluate((button) => button === document.activeElement)).toBe(true);
});

it('is imaging after 25 strokes of keys from the opened page, whatever they are', async () => {
  const { page } = story;
  await story.go('/');
  await page.getByText('What is kept').waitFor();
  let strokes = 0;
  const press = async (...keys: string[]) => {
    for (const key of keys) await page.keyboard.press(key);
    strokes += keys.length;
  };
  await press('Control+k');
  await page.getByRole('combobox', { name: 'Go to, or do' }).waitFor();
  await press(...'keep iden');
  await page.getByRole('option', { name: /Keep of Ringing hut: identity/ }).waitFor();
  await press('Enter');
  await page.getByText(/^[1-9]\d* of 22 picked/).waitFor();
  await page.locator('button', { hasText: 'Start imaging' }).and(page.locator(':enabled')).waitFor();
  await press('Control+Enter');
  await page.locator('[data-run]').waitFor();
  expect(strokes).toBeLessThanOrEqual(25);
  await page.locator('[data-run][data-state="done"]').waitFor();
});

it.runIf(isLong)('goes from view to view by keys, by links and by the back button', async () => {
  const { page } = story;
  for (const [key, heading] of [
    ['l', 'Larder'],
    ['r', 'Runs'],
    ['h', 'Help'],
    ['p', 'Practice bench'],
    ['b', 'Bench'],
  ] as const) {
    await page.keyboard.press('g');
    await page.keyboard.press(key);
    await page.getByRole('heading', { name: heading, level: 1 }).waitFor();
  }
  await page.goBack();
  await page.getByRole('heading', { name: 'Practice bench' }).waitFor();
  await page.goBack();
  await page.getByRole('heading', { name: 'Help', level: 1 }).waitFor();
  await page.goBack();
  await page.getByRole('heading', { name: 'Runs', level: 1 }).waitFor();
  await page.getByRole('link', { name: /^Keep 1 image of Ringing hut/ }).click();
  await page.getByText(/Read boot: SHA-256 [0-9a-f]{64}/).waitFor();
  const address = page.url();
  await page.goto('about:blank');
  await page.goto(address);
  await page.getByText(/Read boot: SHA-256 [0-9a-f]{64}/).waitFor();
  await story.go('/larder/sets/no-such-set');
  await page.getByText('This set cannot be shown').waitFor();
  await story.go('/nowhere/at/all');
  await page.getByRole('link', { name: /bench/i }).last().waitFor();
});

it.runIf(isLong)('keeps the theme that was chosen', async () => {
  const { page } = story;
  await story.go(`/bench/${serial}`);
  await page.getByRole('button', { name: 'Use the dark theme' }).click();
  await page.reload();
  await page.getByRole('button', { name: 'Use the light theme' }).waitFor();
  const ground = () => page.evaluate(() => getComputedStyle(document.body).backgroundColor);
  expect(await ground()).toBe('rgb(22, 28, 25)');
  await page.getByRole('button', { name: 'Use the light theme' }).click();
  expect(await ground()).toBe('rgb(244, 238, 224)');
});

it.runIf(isLong)('fits without scrolling sideways from 640 to 2560 pixels', async () => {
  const { page } = story;
  for (const width of isLong ? [640, 1024, 1280, 1920, 2560] : [640, 1024]) {
    await page.setViewportSize({ width, height: 800 });
    for (const path of [`/bench/${serial}`, '/larder', '/runs', '/practice']) {
      await story.go(path);
      await page.locator('#work h1').first().waitFor();
      const wider = await page.evaluate(() =>
        [document.documentElement, ...document.querySelectorAll('main, .tray .body, .rail')]
          .filter((each) => each.scrollWidth > each.clientWidth)
          .map((each) => each.className || each.tagName),
      );
      expect([width, path, wider]).toEqual([width, path, []]);
    }
  }
  await page.setViewportSize({ width: 1280, height: 800 });
});

it('says when the server does not answer any more', async () => {
  const { page } = story;
  await story.go('/runs');
  await page.getByRole('heading', { name: 'Runs', level: 1 }).waitFor();
  await page.context().setOffline(true);
  story.serving.breakConnections();
  // What was asked meanwhile says it as well, in a notice of its own.
  const told = page.locator('p.offline');
  await told.waitFor();
  await page.context().setOffline(false);
  await told.waitFor({ state: 'hidden' });
});
