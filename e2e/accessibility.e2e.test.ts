// Every main view, held against axe-core (an engine of rules for WCAG that nobody here wrote): every other one in the dark theme; in both themes and four widths with `npm run kills`.
import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import type { AxeResults } from 'axe-core';
import { beforeAll, expect, it } from 'vitest';
import { keepSet, serial } from '../testing/bench.ts';
import { isLong } from '../testing/effort.ts';
import { openStory } from './story.ts';

const story = openStory();
const axe = readFileSync(createRequire(import.meta.url).resolve('axe-core/axe.min.js'), 'utf8');
const widths = isLong ? [640, 1024, 1280, 1920] : [1280];
let setId: string;
let otherId: string;
let runId: string;
let jobId: string;

beforeAll(async () => {
  await story.intoRecovery();
  const { app } = story.serving;
  setId = await keepSet(app, 'As received', ['boot', 'efs']);
  otherId = await keepSet(app, 'Before leaving', ['boot']);
  runId = app.engine.list()[0]!.id;
  jobId = app.jobs.open({
    ...{ who: 'Ringing hut', contact: '', complaint: 'It restarts.', arrival: '', accessories: '' },
    ...{ agreed: { keepFirst: true, mayLose: false, mayLook: false }, serials: [serial] },
  }).id;
});

/** What each view shows once it has all of it. */
const views: readonly (readonly [path: () => string, shown: string | RegExp])[] = [
  [() => '/bench', 'What is kept'],
  [() => `/bench/${serial}`, 'Last kept'],
  [() => `/bench/${serial}/apps`, /not in system mode/],
  [() => `/bench/${serial}/apps/leftovers`, /not in system mode/],
  [() => `/bench/${serial}/records`, /are read from the running system/],
  [() => `/bench/${serial}/records/shared`, /Photos and files are read from/],
  [() => `/bench/${serial}/move`, /Apps are read from/],
  [() => `/bench/${serial}/rescue`, 'Rescue'],
  [() => `/bench/${serial}/bootloader`, /Bootloader/],
  [() => `/bench/${serial}/past`, 'As received'],
  [() => `/bench/${serial}/details`, 'What this phone’s own tools can do'],
  [() => '/connections', 'Connections'],
  [() => '/larder', 'As received'],
  [() => `/larder/sets/${setId}`, 'Checksum of the set'],
  [() => `/larder/sets/${setId}/boot`, 'boot image'],
  [() => `/larder/compare/${setId}/${otherId}`, 'Nothing differs'],
  [() => '/larder/find?q=received', 'As received'],
  [() => '/larder/firmware', 'No firmware is kept yet'],
  [() => '/larder/order', 'As received'],
  [() => '/larder/off-site', 'A bucket'],
  [() => '/larder/exports', 'Where they may go'],
  [() => '/larder/seal', /passphrase/],
  [() => '/larder/copies', 'Copies'],
  [() => '/larder/import', 'Import'],
  [() => '/jobs', 'It restarts.'],
  [() => `/jobs/${jobId}`, 'Hand-over report, A4'],
  [() => '/runs', 'Keep 2 images'],
  [() => `/runs/${runId}`, 'Open the set'],
  [() => '/people', 'Add the owner'],
  [() => '/help', 'From a phone to a set that is safe, and back'],
  [() => `/labels/sets/${setId}`, /In the print dialog/],
  [() => `/labels/jobs/${jobId}`, /In the print dialog/],
  [() => '/practice', 'Flash a broken build'],
];

/** Colours that are on their way are none to be judged. */
function withoutMotion(): void {
  const sheet = new CSSStyleSheet();
  sheet.replaceSync('* { transition: none !important; animation: none !important }');
  document.adoptedStyleSheets.push(sheet);
}

/** What a finger would miss: all that is to be touched and stands alone, with less than 44 pixels (WCAG 2.2, 2.5.5), runs of text excepted. */
function tooSmall(): string[] {
  const least = 43.5;
  const touched =
    'a, button, input, select, textarea, summary, [role=checkbox], [role=button], [role=tab], [role=switch]';
  // What stands around a field and takes its touch; a head of a column sorts as a whole, the buttons of a number are within its frame.
  const around =
    'label, .el-input__wrapper, .el-select__wrapper, .el-switch, th.is-sortable, .el-input-number, .el-slider__button-wrapper';
  return [...document.querySelectorAll<HTMLElement>(touched)].flatMap((each) => {
    const own = each.getBoundingClientRect();
    const whole = (each.closest<HTMLElement>(around) ?? each).getBoundingClientRect();
    const isSeen = own.width > 1 && own.height > 1 && getComputedStyle(each).visibility !== 'hidden';
    const text = each.textContent.trim();
    const line = each.parentElement?.matches('p, dd, li, span')
      ? each.parentElement.textContent.trim().length
      : 0;
    const isInText = each.matches('a') && line > text.length + 3;
    const width = Math.max(own.width, whole.width);
    const height = Math.max(own.height, whole.height);
    if (!isSeen || isInText || (width >= least && height >= least)) return [];
    const name = each.getAttribute('aria-label') ?? text.slice(0, 30);
    return [`${each.tagName.toLowerCase()} “${name}” ${Math.round(width)} × ${Math.round(height)}`];
  });
}

it('every view keeps the rules of WCAG 2.2 AA, and a finger meets at least 44 pixels', async () => {
  const { page } = story;
  const devtools = await page.context().newCDPSession(page);
  const found: string[] = [];
  for (const width of widths) {
    await page.setViewportSize({ width, height: 800 });
    for (const [i, [path, shown]] of views.entries()) {
      await story.go(path());
      const text = page.locator('main').getByText(shown).first();
      await text.waitFor().catch(() => found.push(`${path()}: “${shown}” is not there`));
      await page.evaluate(axe);
      await page.evaluate(withoutMotion);
      const both = ['light', 'dark'];
      for (const theme of isLong ? both : [both[i % 2]!]) {
        await page.evaluate(
          (isDark) => document.documentElement.classList.toggle('dark', isDark),
          theme === 'dark',
        );
        const { violations } = await page.evaluate(async (): Promise<AxeResults> => {
          const { axe: engine } = window as Window & { axe?: typeof import('axe-core') };
          return engine!.run({
            runOnly: ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa', 'best-practice'],
          });
        });
        for (const { id, nodes } of violations)
          for (const { target, failureSummary } of nodes)
            found.push(
              `${path()} ${theme} ${width}: ${id} ${target.join(' ')}: ${failureSummary?.split('\n')[1]?.trim()}`,
            );
      }
      if (width !== 1280) continue;
      await devtools.send('Emulation.setTouchEmulationEnabled', { enabled: true });
      await page.waitForFunction(() => matchMedia('(pointer: coarse)').matches);
      found.push(...(await page.evaluate(tooSmall)).map((each) => `${path()}: ${each}`));
      await devtools.send('Emulation.setTouchEmulationEnabled', { enabled: false });
    }
  }
  expect(found).toEqual([]);
});
