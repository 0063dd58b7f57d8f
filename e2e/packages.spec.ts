import { choose, expect, signedIn, test } from './support/app.js';

test('what was arranged in one repository is brought to another, tried first, and what both change is decided', async ({
  browser,
  app,
  live,
}) => {
  const ines = await signedIn(browser, app, 'ines');
  await ines.goto('/setup/packages');
  const saving = ines.waitForEvent('download');
  await ines.getByRole('link', { name: 'Export a package' }).click();
  const file = await (await saving).path();

  const context = await browser.newContext({ baseURL: live.url, viewport: { width: 1280, height: 800 }, reducedMotion: 'reduce' });
  const asta = await context.newPage();
  asta.on('pageerror', (error) => expect(error.message, 'no error in the page').toBe(''));
  const bring = async (): Promise<void> => {
    await asta.goto('/setup/packages');
    await asta.getByLabel('Package', { exact: true }).setInputFiles({ name: 'package.zip', mimeType: 'application/zip', buffer });
    await expect(asta.getByText('Trying the package …')).toBeHidden();
  };
  const { readFile } = await import('node:fs/promises');
  const buffer = await readFile(file);

  await test.step('an empty repository gets its first keeper', async () => {
    await asta.goto('/');
    await asta.getByLabel('Name of the organisation').fill('Marrowick, live');
    await asta.getByLabel('Your name').fill('Asta Morrow');
    await asta.getByLabel('Login').fill('asta');
    await asta.getByLabel('Password').fill('a long enough password');
    await asta.getByRole('button', { name: 'Create the repository' }).click();
    await expect(asta.getByRole('heading', { name: 'Good day, Asta' })).toBeVisible();
  });

  await test.step('the package is tried: nothing changes, and what both have otherwise is asked', async () => {
    await bring();
    await expect(asta.getByText(/changed here and in the package\. Decide what counts\./)).toBeVisible();
    await expect(asta.getByRole('button', { name: /^Apply/ })).toBeHidden();
    await choose(asta, 'What was changed on both sides', 'becomes as in the package');
    await expect(asta.getByText(/items are new or change\./)).toBeVisible();
    await expect(asta.getByRole('cell', { name: 'R-PIL-1', exact: true })).toBeVisible();
  });

  await test.step('it is applied whole: plan, rules, types and people are there, and it brings nothing a second time', async () => {
    await asta.getByRole('button', { name: /^Apply [\d,]+ changes$/ }).click();
    await expect(asta.getByText(/^Imported\. [\d,]+ items came/)).toBeVisible();
    await asta.goto('/plan?view=outline');
    await expect(asta.getByRole('link', { name: /PIL-02/ }).first()).toBeVisible();
    await asta.goto('/schedule');
    await expect(asta.getByRole('link', { name: /R-PIL-2/ }).first()).toBeVisible();
    await bring();
    await expect(asta.getByText(/items, and nothing in them is new\./)).toBeVisible();
  });

  await test.step('what is changed here later stays, and is said to', async () => {
    await asta.goto('/plan?view=outline');
    await asta
      .getByRole('link', { name: /PIL-02/ })
      .first()
      .click();
    await asta.getByRole('button', { name: 'Change …' }).click();
    await asta.getByRole('menuitem', { name: 'Describe and renumber' }).click();
    await asta.getByRole('dialog').getByLabel('Title', { exact: true }).fill('Pilotage, as we call it here');
    await asta.getByRole('dialog').getByRole('button', { name: 'Describe and renumber' }).click();
    await expect(asta.getByRole('heading', { level: 1 })).toContainText('Pilotage, as we call it here');
    await bring();
    await expect(asta.getByRole('heading', { name: 'Stays as it is here' })).toBeVisible();
    await expect(asta.getByRole('cell', { name: /title stays “Pilotage, as we call it here”/ })).toBeVisible();
  });
});
