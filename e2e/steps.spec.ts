import { expect, signedIn, test } from './support/app.js';

test.use({ repository: 'demo of steps' });

test('an owner answers from the message, and from its link without signing in; a keeper sees what came of it', async ({ browser, app }) => {
  const lune = await signedIn(browser, app, 'lune');
  let link = '';

  await test.step('one by one, with the keyboard', async () => {
    await lune.goto('/today');
    await lune.getByRole('button', { name: /^Answer: Rules ask you whether/ }).press('Enter');
    await expect(lune.getByRole('heading', { name: 'Still needed?' })).toBeVisible();
    const first = lune.locator('tbody tr').first();
    const number = await first.locator('code').textContent();
    await first.focus();
    await lune.keyboard.press('y');
    await expect(lune.getByRole('status')).toContainText('still needed. Kept; its clock restarts today.');
    await expect(lune.getByText(number!, { exact: true })).toBeHidden();
    await lune.locator('tbody tr').first().focus();
    await lune.keyboard.press('x');
    await lune.keyboard.press('j');
    await lune.keyboard.press('x');
    await lune.getByRole('button', { name: 'Still needed: 2' }).first().press('Enter');
    await expect(lune.getByRole('status')).toContainText('2 records: still needed');
  });

  await test.step('from the link of the letter, by one who has not signed in', async () => {
    await lune.goto('/messages');
    link = (await lune.getByRole('link', { name: 'Decide one by one' }).first().getAttribute('href'))!;
    const stranger = await (await browser.newContext()).newPage();
    await stranger.goto(`${app.url}${link}`);
    await expect(stranger.getByText('Asked of Lune Abara')).toBeVisible();
    await stranger
      .getByRole('button', { name: /^Not needed: PIL-04/ })
      .first()
      .click();
    await expect(stranger.getByText('not needed, said Lune Abara')).toBeVisible();
    await stranger.goto(`${app.url}${link.slice(0, -3)}abc`);
    await expect(stranger.getByRole('heading', { name: 'This link leads nowhere' })).toBeVisible();
  });

  await test.step('with one click for all that is left', async () => {
    await lune.goto('/messages');
    await lune
      .getByRole('button', { name: /^Still needed: all \d+$/ })
      .first()
      .click();
    await expect(lune.getByRole('status')).toContainText('× Kept; its clock restarts today.');
    await lune.goto('/questions');
    await expect(lune.getByText('No rule asks you anything.')).toBeVisible();
    await lune.goto(link);
    await expect(lune.getByText('Thank you. Everything asked')).toBeVisible();
  });

  await test.step('the keeper finds it on the docket, reviews, and sees what the sweep would do a month on', async () => {
    const ines = await signedIn(browser, app, 'ines');
    await ines.goto('/docket');
    await expect(ines.getByText('PIL-04')).toBeVisible();
    await ines.goto('/questions');
    await ines
      .getByRole('button', { name: /^Continue to next step: / })
      .first()
      .click();
    await expect(ines.getByRole('status')).toContainText('Reviewed; its clock goes on.');
    await ines.goto('/docket');
    await ines.getByRole('button', { name: 'Run the sweep …' }).click();
    const sheet = ines.getByRole('dialog');
    await expect(sheet.getByText('cannot take their step now')).toBeVisible();
    await sheet.getByRole('button', { name: 'Run it now' }).click();
    await expect(ines.getByText(/could not be taken\./)).toBeVisible();
  });
});
