import pino from 'pino';
import { join } from 'node:path';
import type { SetView } from '@keen-larder/contract/sets.ts';
import { serve } from '@keen-larder/server/serve.ts';
import { closeBrowser, openBrowser } from '../../e2e/browser.ts';

/** How the time axis follows, in milliseconds from one painted frame to the next. */
export interface AxisTimes {
  readonly median: number;
  /** Nineteen of twenty come sooner. */
  readonly most: number;
  /** Of all frames, those that came later than 1.5 times a sixtieth of a second. */
  readonly late: number;
}

/** Does a step with each frame and tells how far frames lie apart. */
async function followed(what: 'zoom' | 'scroll'): Promise<number[]> {
  const frames = 150;
  const axis = document.querySelector<HTMLElement>('.axis')!;
  const lanes = axis.querySelector<HTMLElement>('.lanes')!;
  const { left, top, width } = axis.getBoundingClientRect();
  const apart: number[] = [];
  let before = await new Promise(requestAnimationFrame);
  for (let i = 0; i < frames; i++) {
    if (what === 'scroll') lanes.scrollTop += i % 100 < 50 ? 60 : -60;
    else
      axis.dispatchEvent(
        new WheelEvent('wheel', {
          ...{ bubbles: true, cancelable: true, ctrlKey: true },
          // In for a while, then out again.
          ...{ deltaY: i % 40 < 20 ? -120 : 120, clientX: left + width * 0.6, clientY: top + 60 },
        }),
      );
    const now = await new Promise<number>(requestAnimationFrame);
    apart.push(now - before);
    before = now;
  }
  return apart;
}

/** Zooms and scrolls the time axis of a larder of so many sets, in a browser. */
export async function measureAxis(
  folder: string,
  sets: readonly SetView[],
): Promise<Record<'zoom' | 'scroll', AxisTimes>> {
  const log = pino({ level: 'silent' });
  const serving = await serve({ home: join(folder, 'axis'), port: 0, addresses: [], log });
  const browser = await openBrowser();
  try {
    const page = await browser.newPage();
    await page.route(/\/api\/sets\/changes/, (route) =>
      route.fulfill({ json: { revision: 1, isWhole: true, sets, removed: [] } }),
    );
    await page.goto(`${serving.url}/larder`);
    await page.locator('.axis .lanes path').first().waitFor();
    await page.waitForTimeout(1500);
    const measure = async (what: 'zoom' | 'scroll'): Promise<AxisTimes> => {
      const apart = (await page.evaluate(followed, what)).sort((a, b) => a - b);
      return {
        median: apart[Math.floor(apart.length / 2)]!,
        most: apart[Math.floor(apart.length * 0.95)]!,
        late: apart.filter((each) => each > 25).length / apart.length,
      };
    };
    return { zoom: await measure('zoom'), scroll: await measure('scroll') };
  } finally {
    await browser.close();
    await closeBrowser();
    await serving.close();
  }
}
