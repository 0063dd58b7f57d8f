import AxeBuilder from '@axe-core/playwright';
import type { Page } from '@playwright/test';
import { expect, signedIn, test } from './support/app.js';
import { paths } from './support/screens.js';

const wcag = ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa'];

/** Charts are drawn anew in the frame after they were told of their width; one motion may set off the next. */
const drawn = (page: Page): Promise<unknown> =>
  page.evaluate(async () => {
    for (;;) {
      await new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(done)));
      const ending = document
        .getAnimations()
        .filter((a) => a.effect?.getComputedTiming().endTime !== Infinity && a.playState === 'running');
      if (ending.length === 0) return;
      await Promise.allSettled(ending.map((animation) => animation.finished));
    }
  });

async function violationsOn(page: Page, rules: (axe: AxeBuilder) => AxeBuilder): Promise<string[]> {
  const { violations } = await rules(new AxeBuilder({ page })).analyze();
  return violations.flatMap((v) => v.nodes.slice(0, 3).map((n) => `${v.id}: ${n.html.slice(0, 160)} ${n.failureSummary?.slice(0, 200)}`));
}

test.describe.configure({ mode: 'parallel' });

for (const half of ['one half', 'the other half'])
  test(`on ${half} of the screens axe finds nothing, light or dark, and nothing needs a bar across at 1280, at 768, nor at 200 % zoom`, async ({
    browser,
    app,
  }) => {
    const page = await signedIn(browser, app, 'ines');
    const screens = Object.entries(await paths(app.databaseUrl)).filter((_, i) => (i % 2 === 0) === (half === 'one half'));
    for (const [name, path] of screens) {
      await page.goto(path);
      await page.getByRole('heading', { level: 1 }).first().waitFor();
      await page.waitForLoadState('networkidle');
      expect.soft(await violationsOn(page, (axe) => axe.withTags(wcag)), name).toEqual([]);
      // Nothing but the colours is other in the dark.
      await page.emulateMedia({ colorScheme: 'dark' });
      await drawn(page);
      expect.soft(await violationsOn(page, (axe) => axe.withRules(['color-contrast'])), `${name}, dark`).toEqual([]);
      await page.emulateMedia({ colorScheme: 'light' });
      for (const width of [1280, 768, 640]) {
        await page.setViewportSize({ width, height: 800 });
        await drawn(page);
        const over = await page.evaluate(() => document.documentElement.scrollWidth - innerWidth);
        expect.soft(over, `${name} at ${width}`).toBeLessThanOrEqual(0);
      }
      await page.setViewportSize({ width: 1280, height: 800 });
    }
  });
