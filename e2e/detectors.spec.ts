import { expect, signedIn, test } from './support/app.js';

test.use({ repository: 'demo of detectors' });

test('a detector is put together on a text, looks into all records, and leads to what it found', async ({ browser, app }) => {
  const ines = await signedIn(browser, app, 'ines');

  await test.step('it is tried while it is put together', async () => {
    await ines.goto('/setup/detectors');
    await expect(ines.getByText('All records have been scanned.')).toBeVisible();
    await ines.keyboard.press('n');
    const sheet = ines.getByRole('dialog');
    await sheet.getByLabel('Name').fill('Broken hopper');
    await sheet.getByRole('combobox', { name: 'What', exact: true }).click();
    await ines.getByRole('option', { name: 'words', exact: true }).click();
    await sheet.getByLabel('Words or phrases, one per line').fill('hopper was away\nvariation');
    await sheet.getByLabel('Try it on a text').fill('The hopper was away for repair.');
    await expect(sheet.getByText('It matches.')).toBeVisible();
    await expect(sheet.locator('mark')).toHaveText('hopper was away');
    await sheet.getByRole('button', { name: 'Create' }).click();
  });

  await test.step('it looks into all records, and leads to what it found', async () => {
    const line = ines.getByRole('row', { name: /Broken hopper/ });
    // It reads every document of the demo, beside whatever else this machine does.
    await expect(line.getByRole('link')).toBeVisible({ timeout: 120_000 });
    await expect(ines.getByText('All records have been scanned.')).toBeVisible({ timeout: 240_000 });
    await line.getByRole('link').click();
    await expect(ines.getByRole('combobox', { name: 'Records with' })).toHaveValue('matches detector Broken hopper');
    await ines.getByRole('button', { name: 'Build step by step' }).click();
    await expect(ines.getByRole('combobox', { name: 'Detector' })).toBeVisible();
    await ines.locator('a[data-index]').first().click();
    await ines.getByRole('tab', { name: /Facts/ }).click();
    await expect(ines.getByText('Broken hopper')).toBeVisible();
  });

  await test.step('who only works with records is not told', async () => {
    const lune = await signedIn(browser, app, 'lune');
    await lune.goto('/find?where=matches%20detector%20Broken%20hopper');
    await expect(lune.getByText(/is not a detector that is known here/)).toBeVisible();
    await lune.goto('/setup');
    await expect(lune.getByRole('link', { name: 'Numbering' })).toBeVisible();
    await expect(lune.getByRole('link', { name: 'Detectors' })).toBeHidden();
  });
});
