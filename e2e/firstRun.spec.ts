import AxeBuilder from '@axe-core/playwright';
import { choose, expect, test } from './support/app.js';

test.use({ repository: 'empty of firstRun' });

test('an empty repository gets its first keeper, a plan, a rule and a record', async ({ browser, app }) => {
  const context = await browser.newContext({ baseURL: app.url, viewport: { width: 1280, height: 800 }, reducedMotion: 'reduce' });
  const page = await context.newPage();
  page.on('pageerror', (error) => expect(error.message, 'no error in the page').toBe(''));

  await test.step('the first page makes the first keeper, and says what is wrong with a short password', async () => {
    await page.goto('/');
    await expect(page.getByRole('heading', { name: 'Create the first keeper' })).toBeVisible();
    const { violations } = await new AxeBuilder({ page }).analyze();
    expect(violations.map((v) => v.id)).toEqual([]);
    await page.getByLabel('Name of the organisation').fill('Lower Basin Trust');
    await page.getByLabel('Your name').fill('Asta Morrow');
    await page.getByLabel('Login').fill('asta');
    await page.getByLabel('Password').fill('short');
    await page.getByRole('button', { name: 'Create the repository' }).click();
    await expect(page.getByRole('alert')).toContainText('at least 12 characters');
    await expect(page.getByLabel('Your name')).toHaveValue('Asta Morrow');
    await page.getByLabel('Password').fill('a long enough password');
    await page.getByRole('button', { name: 'Create the repository' }).click();
    await expect(page.getByRole('heading', { name: 'Good day, Asta' })).toBeVisible();
    await expect(page.getByRole('heading', { name: 'First steps · 0 of 8 done' })).toBeVisible();
  });

  await test.step('every area says what to do first', async () => {
    const words: [string, RegExp][] = [
      ['/receiving', /Nothing waits here/],
      ['/find', /What is filed from Receiving is found here/],
      ['/schedule', /Begin one, publish it, and set it on a series/],
      ['/holds', /Nothing is held/],
      ['/docket', /Nothing is due/],
      ['/messages', /No messages/],
    ];
    for (const [path, sentence] of words) {
      await page.goto(path);
      await expect(page.getByText(sentence)).toBeVisible();
    }
  });

  await test.step('a plan is built from nothing', async () => {
    const make = async (inside: RegExp, code: string, title: string, button: string): Promise<void> => {
      await page.goto('/plan?view=outline');
      await page.getByRole('button', { name: 'New place' }).click();
      await choose(page, 'Inside', inside);
      await page.getByRole('dialog').getByLabel('Code').fill(code);
      await page.getByRole('dialog').getByLabel('Title').fill(title);
      await page.getByRole('button', { name: button }).click();
      await expect(page.getByRole('link', { name: code })).toBeVisible();
    };
    await make(/Lower Basin Trust/, 'OPS', 'Operations', 'Create the function');
    await make(/^OPS/, 'OPS.1', 'Traffic', 'Create the activity');
    await make(/^OPS\.1/, 'OPS-01', 'Passage slips', 'Create the series');
  });

  await test.step('and something is filed in it, without a date until a rule is set', async () => {
    await page.goto('/receiving');
    await page
      .locator('input[type=file]')
      .first()
      .setInputFiles([{ name: 'passage.txt', mimeType: 'text/plain', buffer: Buffer.from('Passed the lock at noon.') }]);
    await page.getByRole('button', { name: 'File passage.txt' }).click();
    await choose(page, 'Place in the plan', /OPS-01/);
    await choose(page, 'Record type', 'Document');
    await expect(page.getByRole('dialog')).toContainText('No rule');
    await page.getByRole('button', { name: 'File one record' }).click();
    await expect(page.getByText(/Filed as OPS-01\/\d{4}\/0001\./)).toBeVisible();
    await page.goto('/today');
    await expect(page.getByText('One record in one series has no rule')).toBeVisible();
  });
});
