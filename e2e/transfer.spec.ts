import { expect, moveClock, signedIn, test } from './support/app.js';

// The clock moves far ahead here: so nobody else works in this repository.
test.use({ repository: 'demo of transfer' });

test('records go to the archive, and only what its receipt covers is removed here', async ({ browser, app }) => {
  const ines = await signedIn(browser, app, 'ines');
  await moveClock(ines, '2029-01-04');
  const tomas = await signedIn(browser, app, 'tomas');
  let putOff = '';

  await test.step('the deputy proposes what is due, and puts one record off', async () => {
    await tomas.goto('/docket');
    await expect(tomas.getByRole('row', { name: /DRG-06.*transfer to the archive/ })).toBeVisible();
    await tomas.getByRole('button', { name: 'Propose batch of DRG-06' }).click();
    await tomas.getByRole('button', { name: 'Propose and announce' }).click();
    await expect(tomas.getByRole('heading', { name: /Spoil ground returns/ })).toBeVisible();
    const first = tomas.getByRole('button', { name: /^Defer DRG-06/ }).first();
    putOff = (await first.getAttribute('aria-label'))!.replace('Defer ', '');
    await first.click();
    const sheet = tomas.getByRole('dialog');
    await expect(sheet.getByText(putOff)).toBeVisible();
    await sheet.getByLabel('Defer until').fill('2029-01-01');
    await sheet.getByLabel('Reason').fill('The survey office still works with it.');
    await sheet.getByRole('button', { name: 'Defer the record' }).click();
    await expect(sheet.getByRole('alert')).toContainText('This must be a day after today.');
    await expect(sheet.getByLabel('Reason')).toHaveValue('The survey office still works with it.');
    await sheet.getByLabel('Defer until').fill('2030-01-01');
    await sheet.getByRole('button', { name: 'Defer the record' }).click();
    await expect(sheet).toBeHidden();
    await expect(tomas.getByRole('row', { name: new RegExp(`${putOff}.*deferred`) })).toBeVisible();
  });

  await test.step('two others agree once the notice has ended', async () => {
    await moveClock(ines, '2029-02-08');
    for (const page of [ines, await signedIn(browser, app, 'dario')]) {
      await page.goto('/today');
      await page.getByRole('button', { name: /Decide: Batch .*Spoil ground returns/ }).click();
      await page.getByRole('button', { name: 'Approve' }).click();
      await expect(page.getByRole('dialog')).toContainText('can be transferred');
      await page.getByRole('button', { name: 'Approve the batch' }).click();
      await expect(page.getByRole('dialog')).toBeHidden();
    }
  });

  await test.step('the bag is packed and sent; the archive answers; then the records go', async () => {
    await tomas.reload();
    await tomas.getByRole('button', { name: 'Execute' }).click();
    await expect(tomas.getByRole('dialog')).toContainText('only what its receipt covers is removed here');
    await tomas.getByRole('button', { name: /^Transfer/ }).click();
    await expect(tomas.getByText(/\d+ transferred, 1 not\./)).toBeVisible({ timeout: 30_000 });
    await expect(tomas.getByRole('heading', { name: 'Receipt of the archive' })).toBeVisible();
    await expect(tomas.getByText(/under accession TSA 2029\/\d{4}/)).toBeVisible();
    const [certificate] = await Promise.all([tomas.waitForEvent('popup'), tomas.getByRole('link', { name: /Certificate C-2029/ }).click()]);
    expect((await (await tomas.request.get(certificate.url())).body()).subarray(0, 5).toString()).toBe('%PDF-');
  });

  await test.step('a stub says where its content is; what was put off is still here', async () => {
    await tomas
      .getByRole('row', { name: /transferred/ })
      .first()
      .getByRole('link')
      .click();
    await expect(tomas.getByText('The content is in the archive.')).toBeVisible();
    await tomas.goto(`/find?words=${encodeURIComponent(putOff)}`);
    await tomas.getByRole('row', { name: new RegExp(putOff) }).click();
    await expect(tomas.getByText(/deferred until 1 Jan 2030: The survey office still works with it\./)).toBeVisible();
  });
});
