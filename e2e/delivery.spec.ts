import { expect, signedIn, test } from './support/app.js';

test('the first page comes in few files and few bytes, and again without any', async ({ browser, app }) => {
  const page = await signedIn(browser, app, 'ines');
  // As somebody who opens it for the first time: what signing in has brought is forgotten.
  const session = await page.context().newCDPSession(page);
  await session.send('Network.clearBrowserCache');
  const scripts = async (): Promise<{ sent: number; bytes: number }[]> => {
    await page.goto('/today');
    await expect(page.getByRole('heading', { level: 1 })).toBeVisible();
    return page.evaluate(() =>
      (performance.getEntriesByType('resource') as PerformanceResourceTiming[])
        .filter((entry) => /\.js$/.test(new URL(entry.name).pathname))
        .map((entry) => ({ sent: entry.transferSize, bytes: entry.encodedBodySize })),
    );
  };
  const first = await scripts();
  expect(first.length).toBeGreaterThan(2);
  expect(first.length).toBeLessThanOrEqual(12);
  expect(first.reduce((sum, { bytes }) => sum + bytes, 0)).toBeLessThanOrEqual(280_000);
  const again = await scripts();
  expect(again.filter(({ sent }) => sent > 0)).toEqual([]);
});
