import { expect, password, tabTo, test } from './support/app.js';

test('the same work with the keyboard only', async ({ browser, app }) => {
  const context = await browser.newContext({
    baseURL: app.url,
    viewport: { width: 1280, height: 800 },
    locale: 'en-GB',
    reducedMotion: 'reduce',
  });
  const page = await context.newPage();
  const { keyboard } = page;
  const type = async (selector: string, text: string): Promise<void> => {
    await tabTo(page, selector);
    await keyboard.press('Control+A');
    await keyboard.type(text);
  };
  /** Opens a select that has the focus and takes the first option that begins so. */
  const pick = async (selector: string, text: string): Promise<void> => {
    await tabTo(page, selector);
    await keyboard.press('ArrowDown');
    await page.locator('.p-select-overlay').waitFor();
    if (await page.getByRole('searchbox').last().isVisible()) {
      await page.waitForFunction(() => document.activeElement?.matches('.p-select-filter'));
      await keyboard.type(text);
      await expect(page.getByRole('option').first()).toContainText(text);
      await keyboard.press('ArrowDown');
    } else {
      // What can be chosen may still be on its way.
      await page.getByRole('option').filter({ hasText: text }).first().waitFor();
      // What is typed is forgotten after half a second: letters that come slowly are typed again.
      await expect(async () => {
        await keyboard.type(text);
        await expect(page.locator('.p-select-option.p-focus')).toContainText(text, { timeout: 700 });
      }).toPass({ intervals: [700] });
    }
    await keyboard.press('Enter');
    await expect(page.locator('.p-select-overlay')).toHaveCount(0);
  };
  const signIn = async (login: string): Promise<void> => {
    await page.goto('/sign-in');
    await type('#login', login);
    await keyboard.press('Tab');
    await keyboard.type(password);
    await keyboard.press('Enter');
    await page.waitForURL('**/today');
    await page.getByRole('heading', { level: 1 }).waitFor();
  };
  const closeSheet = async (): Promise<void> => {
    await keyboard.press('Escape');
    await expect(page.locator('.p-drawer')).toHaveCount(0);
  };

  await signIn('ines');
  await test.step('areas, help and the ask bar', async () => {
    await keyboard.press('?');
    await expect(page.getByRole('dialog', { name: 'All keys' })).toBeVisible();
    await closeSheet();
    await keyboard.press('3');
    await page.waitForURL('**/plan');
    await page.getByRole('grid').waitFor();
    await keyboard.press('ArrowDown');
    await keyboard.press('ArrowDown');
    await keyboard.press('ArrowRight');
    await keyboard.press('/');
    await keyboard.type('BER-02');
    await expect(page.getByRole('option', { name: /place.*BER-02/ })).toBeVisible();
    await keyboard.press('ArrowDown');
    await keyboard.press('Enter');
    await page.waitForURL(/\/plan\/[0-9a-f-]+/);
    await expect(page.getByRole('heading', { name: /BER-02/ })).toBeVisible();
  });

  await test.step('file what has arrived, with place, type and date seen before', async () => {
    await keyboard.press('2');
    await page.waitForURL('**/receiving');
    await tabTo(page, '[aria-label="Mark Bollard test Berth 11.pdf"]');
    await keyboard.press('Space');
    await keyboard.press('f');
    await page.getByRole('dialog').waitFor();
    await pick('#filing-place', 'BER-02');
    await pick('#filing-type', 'Insp');
    await type('#fact-berth', 'Berth 11');
    await expect(page.getByText('Kept until 31 Dec 2035, then destroyed.')).toBeVisible();
    await tabTo(page, 'kc-sheet button[type=submit], .p-drawer button[type=submit]');
    await keyboard.press('Enter');
    await expect(page.getByText(/Filed as BER-02\/2026\/\d{4}\./)).toBeVisible();
    await closeSheet();
  });

  await test.step('find, mark, declare', async () => {
    await keyboard.press('/');
    await keyboard.type('bollard test 11');
    await keyboard.press('Enter');
    await page.waitForURL('**/find?words=**');
    await expect(page.getByRole('row', { name: /Bollard test Berth 11/ })).toBeVisible();
    await keyboard.press('Home');
    await keyboard.press('a');
    await expect(page.getByRole('button', { name: 'Unmark' })).toBeVisible();
    await keyboard.press('Shift+D');
    await tabTo(page, '.p-drawer button[type=submit]');
    await keyboard.press('Enter');
    await expect(
      page
        .getByRole('dialog')
        .getByRole('heading', { name: /Done|Skipped/ })
        .first(),
    ).toBeVisible();
    await closeSheet();
  });

  await test.step('open it, see why, and hold it', async () => {
    await keyboard.press('Home');
    await keyboard.press('Enter');
    await page.waitForURL('**/records/**');
    await keyboard.press('w');
    await expect(page.getByRole('tab', { name: 'Why this date' })).toHaveAttribute('aria-selected', 'true');
    await keyboard.press('Shift+H');
    await page.getByRole('dialog').waitFor();
    await pick('#hold-matter', 'I-2024-1');
    await type('#hold-name', 'Bollards');
    await type('#hold-reason', 'Asked for by the inquiry.');
    await tabTo(page, '.p-drawer button[type=submit]');
    await keyboard.press('Enter');
    await expect(page.getByText('The hold covers 1 record.')).toBeVisible();
    await closeSheet();
    await expect(page.getByText('held for 1 matter')).toBeVisible();
  });

  await test.step('marks typed at full speed are all obeyed, and Esc closes one thing at a time', async () => {
    await keyboard.press('4');
    await page.waitForURL('**/find');
    await page.locator('[data-index="5"]').waitFor();
    await keyboard.type('jxjxjx');
    await expect(page.getByRole('row', { selected: true })).toHaveCount(3);
    const head = page.getByRole('checkbox', { name: 'Mark all found' });
    expect(await head.evaluate((box: HTMLInputElement) => [box.checked, box.indeterminate])).toEqual([false, true]);
    await page.getByRole('button', { name: 'Columns' }).focus();
    await keyboard.press('Enter');
    await page.locator('.p-popover').waitFor();
    await keyboard.press('Escape');
    await expect(page.locator('.p-popover')).toHaveCount(0);
    await expect(page.getByRole('row', { selected: true })).toHaveCount(3);
    await keyboard.press('Escape');
    await expect(page.getByRole('row', { selected: true })).toHaveCount(0);
    expect(new URL(page.url()).pathname).toBe('/find');
  });

  await test.step('propose a batch from the docket', async () => {
    await keyboard.press('7');
    await page.waitForURL('**/docket');
    await tabTo(page, '[aria-label="Propose batch of BER-01"]');
    await keyboard.press('Enter');
    await tabTo(page, '.p-drawer button[type=submit]');
    await keyboard.press('Enter');
    await expect(page.getByRole('heading', { name: /Berth leases/ })).toBeVisible();
    await expect(page.getByText(/days left to object/)).toBeVisible();
  });

  await test.step('verify the ledger', async () => {
    await keyboard.press('8');
    await page.waitForURL('**/proof');
    await tabTo(page, '.page-head p-button:last-of-type button');
    await keyboard.press('Enter');
    await expect(page.getByRole('status').filter({ hasText: 'sealed entries' })).toBeVisible();
  });
});
