import { choose, expect, signedIn, test } from './support/app.js';

test('each person sees their own areas, and nothing that is not theirs', async ({ browser, app }) => {
  const areas = async (login: string): Promise<string[]> => {
    const page = await signedIn(browser, app, login);
    const names = await page.locator('nav.spine .area').allTextContents();
    await page.context().close();
    return names;
  };
  expect(await areas('ines')).toEqual(['Today', 'Receiving', 'Plan', 'Find', 'Schedule', 'Holds', 'Docket', 'Proof', 'Access', 'Setup']);
  expect(await areas('ruben')).toEqual(['Today', 'Plan', 'Find', 'Schedule']);
  expect(await areas('odile')).toEqual(['Today', 'Plan', 'Find', 'Schedule', 'Holds', 'Docket', 'Proof', 'Access']);
});

test('records join an open hold from Find, and leave it from its page', async ({ browser, app }) => {
  const page = await signedIn(browser, app, 'ines');
  await page.goto('/find?words=quill');
  const numbers: string[] = [];
  for (const i of [0, 1]) {
    const row = page.locator('a.row').nth(i);
    numbers.push((await row.getByRole('checkbox').getAttribute('aria-label'))!.replace('Mark ', ''));
    await row.getByRole('checkbox').check();
  }
  await page.getByRole('button', { name: 'Hold', exact: true }).click();
  await choose(page, 'Which hold', /Ottoline inquiry/);
  await page.getByRole('button', { name: 'Add 2 records to the hold' }).click();
  const sheet = page.getByRole('dialog');
  await expect(sheet.getByText('2 records were added to the hold.')).toBeVisible();
  await sheet.getByRole('link', { name: 'Open the hold' }).click();
  for (const number of numbers) await page.getByRole('checkbox', { name: `Mark ${number}` }).check();
  await page.getByRole('button', { name: 'Remove from hold …' }).click();
  await sheet.getByLabel('Reason').fill('They concern another vessel.');
  await sheet.getByRole('button', { name: 'Remove 2 records from the hold' }).click();
  await expect(sheet.getByText('2 done')).toBeVisible();
  await page.keyboard.press('Escape');
  for (const number of numbers) await expect(page.locator('tr.out', { hasText: number })).toBeVisible();
});

test('a server that dies is said in a sentence, what was typed stays, and the work goes on when it is back', async ({ browser, app }) => {
  const page = await signedIn(browser, app, 'ines');
  await page.goto('/holds');
  await page.getByRole('button', { name: 'Place a hold' }).click();
  const sheet = page.getByRole('dialog');
  await sheet.locator('#matter-code').fill('C-2026-77');
  await sheet.getByLabel('Title of the matter').fill('While the server is away');
  await sheet.getByLabel('Name of the hold').fill('Away');
  await sheet.getByLabel('Reason').fill('It must not be lost.');
  await sheet.getByLabel('What it covers').fill('has words Saltgarth');
  await app.kill();
  await sheet.getByRole('button', { name: 'Place hold on what matches' }).click();
  await expect(sheet.getByRole('alert')).toContainText('The server does not answer');
  await expect(sheet.getByLabel('Name of the hold')).toHaveValue('Away');
  await app.restart();
  await sheet.getByRole('button', { name: 'Place hold on what matches' }).click();
  await expect(sheet.getByText(/The hold covers \d+ records/)).toBeVisible();
});
