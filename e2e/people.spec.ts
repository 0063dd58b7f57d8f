import { expect, signedIn, test } from './support/app.js';

const who = { hanne: 'counsel', dario: 'a harbour master', odile: 'an auditor', ruben: 'a reader', sunniva: 'a depositor' };

for (const [login, what] of Object.entries(who)) {
  test(`${what} goes to every page that is offered, and is refused nothing on the way`, async ({ browser, app }) => {
    const page = await signedIn(browser, app, login, { width: 800 });
    const refused: string[] = [];
    page.on('response', (response) => {
      if (response.url().includes('/api/') && response.status() >= 400) refused.push(`${response.status()} ${response.url()}`);
    });
    const toSee = ['/today'];
    for (const path of toSee) {
      await page.goto(path);
      await expect(page.getByRole('heading', { level: 1 }).first(), path).toBeVisible();
      await page.waitForLoadState('networkidle');
      const over = await page.evaluate(() => document.documentElement.scrollWidth - innerWidth);
      expect.soft(over, `${path}: a bar across`).toBeLessThanOrEqual(0);
      expect.soft(refused.splice(0), path).toEqual([]);
      const links = await page.locator('nav.spine a, kc-views a').evaluateAll((all) => all.map((a) => (a as HTMLAnchorElement).pathname));
      for (const link of links) if (!toSee.includes(link)) toSee.push(link);
    }
    expect(toSee.length).toBeGreaterThan(4);
  });
}
