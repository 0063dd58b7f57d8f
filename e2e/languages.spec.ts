import type { Page } from '@playwright/test';
import { expect, signedIn, test } from './support/app.js';
import { paths } from './support/screens.js';

/** Words of three letters and more that no accent was put on: what is not translated, or is data. */
const plainWords = (text: string): string[] => text.match(/(?<![\p{L}\p{M}\d])[A-Za-z]{3,}(?![\p{L}\p{M}\d])/gu) ?? [];

/** What stays as it is: our name, formats, keys, what Intl says of months and periods in a language that it does not know, what is typed, and a language’s own name. */
const everywhere = new Set(
  `Key Cellar CSV JSON XLSX SKOS iCalendar PDF SHA MOD Luhn Esc Enter Space https place code kind inside title belongs here not message jurisdictions
   rules type note function activity series folder authority clock created fact expires closed event lease ended cutoff steps ask owner every destroy
   English years approvals days notice force from and marrowick cellar tools pdf docx Jan Feb Mar Apr May Jun Jul Aug Sep Oct Nov Dec January
   February March April June July August September October November December day days week weeks month months year years`.split(/\s+/),
);

/** Every word of what a page asks for: what it shows of that is data. It is asked for again, since a browser forgets what it was answered. */
function wordsOfAnswers(page: Page): { has(word: string): boolean; read(): Promise<void> } {
  const words = new Set<string>();
  const asked = new Set<string>();
  const known = new Set<string>();
  page.on('request', (request) => {
    if (request.method() === 'GET' && request.url().includes('/api/') && request.resourceType() === 'fetch') asked.add(request.url());
  });
  return {
    has: (word) => words.has(word.toLowerCase()),
    async read() {
      for (const url of [...asked].filter((one) => !known.has(one))) {
        known.add(url);
        const answer = await page.request.get(url);
        if (answer.headers()['content-type']?.includes('json'))
          for (const word of plainWords(await answer.text())) words.add(word.toLowerCase());
      }
    },
  };
}

/** Everything that one reads on the page or hears of it, piece by piece. */
const textsOn = (page: Page): Promise<string[]> =>
  page.evaluate(() => {
    const texts: string[] = [];
    const walker = document.createTreeWalker(document.body, NodeFilter.SHOW_TEXT);
    for (let node = walker.nextNode(); node; node = walker.nextNode()) {
      const parent = node.parentElement!;
      if (!parent.closest('script, style, code, pre, textarea, noscript') && parent.checkVisibility()) texts.push(node.textContent ?? '');
    }
    for (const name of ['aria-label', 'title', 'placeholder', 'alt'])
      for (const element of document.body.querySelectorAll(`[${name}]`)) texts.push(element.getAttribute(name)!);
    return texts.map((text) => text.trim()).filter(Boolean);
  });

/** Parts of the interface whose words do not fit into them. */
const cutOff = (page: Page): Promise<string[]> =>
  page.evaluate(() =>
    [...document.body.querySelectorAll<HTMLElement>('button, a, label, legend, th, h1, h2, h3, p, .p-button-label, .p-tab')]
      .filter((e) => e.checkVisibility() && e.clientWidth > 0 && !e.closest('.sr, .clip') && getComputedStyle(e).overflowX !== 'visible')
      .filter((e) => e.scrollWidth > e.clientWidth + 1)
      .map((e) => `${e.tagName.toLowerCase()}.${e.className}: ${(e.textContent ?? '').trim().slice(0, 60)}`),
  );

// Buttons are pressed to see what they open: what they do stays in a repository of its own.
test.use({ repository: 'demo of languages' });

test('in a language longer by two fifths, from right to left, all is translated and nothing is cut off', async ({ browser, app }) => {
  const page = await signedIn(browser, app, 'ines');
  await page.context().addCookies([{ name: 'cellar_language', value: 'qps', url: app.url }]);
  const data = wordsOfAnswers(page);
  const look = async (what: string): Promise<void> => {
    await page.waitForLoadState('networkidle');
    // What an answer holds is known a moment after it is shown.
    let untranslated: string[] = [];
    for (let tries = 0; tries < 20; tries++) {
      const texts = await textsOn(page);
      await data.read();
      untranslated = texts.filter((text) => plainWords(text).some((word) => !everywhere.has(word) && !data.has(word)));
      if (untranslated.length === 0) break;
      await page.waitForTimeout(250);
    }
    expect.soft([...new Set(untranslated)], `${what}: not translated`).toEqual([]);
    expect.soft(await cutOff(page), `${what}: cut off`).toEqual([]);
    expect
      .soft(await page.evaluate(() => document.documentElement.scrollWidth - innerWidth), `${what}: a bar across`)
      .toBeLessThanOrEqual(0);
  };
  const opened = page.locator('[role=dialog]:visible, .p-menu:visible, .p-popover:visible');
  const buttons = page.locator('.page-head button:visible:enabled');
  let looked = 0;
  for (const [name, path] of Object.entries(await paths(app.databaseUrl))) {
    const arrive = async (): Promise<void> => {
      await page.goto(path);
      await page.getByRole('heading', { level: 1 }).first().waitFor();
    };
    await arrive();
    await look(name);
    const labels = await buttons.evaluateAll((all) => all.map((b) => b.textContent!.trim()));
    for (const [i, label] of labels.entries()) {
      const button = buttons.nth(i);
      if ((await button.textContent({ timeout: 1000 }).catch(() => null))?.trim() !== label) await arrive();
      await button.click({ timeout: 2000 }).catch(() => undefined);
      if (
        await opened
          .first()
          .waitFor({ timeout: 700 })
          .then(
            () => true,
            () => false,
          )
      ) {
        looked += 1;
        await look(`${name}, ${label}`);
        // What is open inside of a sheet is closed first.
        for (let presses = 0; presses < 3 && (await opened.count()) > 0; presses++) {
          await page.keyboard.press('Escape');
          await page.waitForTimeout(300);
        }
        await expect(opened, `${name}, ${label}: Esc`).toHaveCount(0);
      } else await arrive();
    }
  }
  expect(looked, 'sheets and menus that opened').toBeGreaterThan(30);
});
