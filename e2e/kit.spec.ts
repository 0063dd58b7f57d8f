import { type Locator, type Page } from '@playwright/test';
import pg from 'pg';
import { type App, choose, expect, password, test } from './support/app.js';

test.use({ repository: 'empty of kit' });

/** How many days a repository that has no demo clock is ahead of this machine’s. */
async function laterBy(app: App, days: number): Promise<void> {
  const client = new pg.Client({ connectionString: app.databaseUrl });
  await client.connect();
  await client.query(`insert into setting (name, value) values ('clock', $1) on conflict (name) do update set value = excluded.value`, [
    JSON.stringify({ demo: false, offsetDays: days }),
  ]);
  await client.end();
}

test('an empty repository comes to its first lawful destruction with two people, with less to type than ten minutes hold', async ({
  browser,
  app,
}) => {
  const begin = async (): Promise<Page> => {
    const context = await browser.newContext({ baseURL: app.url, viewport: { width: 1280, height: 800 }, reducedMotion: 'reduce' });
    const page = await context.newPage();
    page.on('pageerror', (error) => expect(error.message, 'no error in the page').toBe(''));
    return page;
  };
  let typed = 0;
  const type = async (field: Locator, text: string): Promise<void> => {
    typed += text.length;
    await field.fill(text);
  };
  const asta = await begin();
  const bo = await begin();

  await test.step('the first page makes the first keeper; Today says what is to be done', async () => {
    await asta.goto('/');
    await type(asta.getByLabel('Name of the organisation'), 'Lower Basin Council');
    await type(asta.getByLabel('Your name'), 'Asta Morrow');
    await type(asta.getByLabel('Login'), 'asta');
    await type(asta.getByLabel('Password'), password);
    await asta.getByRole('button', { name: 'Create the repository' }).click();
    await expect(asta.getByRole('heading', { name: 'First steps · 0 of 8 done' })).toBeVisible();
  });

  await test.step('a kit brings plan, types and rules, tried first', async () => {
    await asta.getByRole('link', { name: 'or take them from a kit' }).first().click();
    await asta.getByRole('button', { name: 'Try the kit Council' }).click();
    await expect(asta.getByText('49 of 49 items are new or change.')).toBeVisible();
    await asta.getByRole('button', { name: 'Apply 49 changes' }).click();
    await expect(asta.getByText('Council: imported.')).toBeVisible();
    await asta.keyboard.press('1');
    await expect(asta.getByRole('heading', { name: 'First steps · 3 of 8 done' })).toBeVisible();
  });

  await test.step('a second person joins, and may approve by the group of the kit', async () => {
    await asta.goto('/setup/people');
    await expect(asta.getByRole('heading', { name: 'People · 1' })).toBeVisible();
    await asta.keyboard.press('n');
    const sheet = asta.getByRole('dialog');
    await type(asta.getByLabel('Name', { exact: true }), 'Bo Hale');
    await type(asta.getByLabel('Login'), 'bo');
    await sheet.locator('.p-multiselect').click();
    await asta.getByRole('option', { name: 'Approvers' }).click();
    await asta.keyboard.press('Escape');
    await sheet.getByRole('button', { name: 'Add', exact: true }).click();
    await expect(asta.getByRole('heading', { name: 'Bo Hale' })).toBeVisible();
    await bo.goto(await asta.getByLabel('Link').inputValue());
    await type(bo.getByLabel('New password'), password);
    await bo.keyboard.press('Enter');
    await expect(bo).toHaveURL(/\/today$/);
  });

  await test.step('an old notice is filed, and its date is said before', async () => {
    await asta.goto('/receiving');
    await asta
      .locator('input[type=file]')
      .first()
      .setInputFiles([{ name: 'notice.txt', mimeType: 'text/plain', buffer: Buffer.from('Stall moved to the mill.') }]);
    await asta.getByRole('button', { name: 'File notice.txt' }).click();
    await choose(asta, 'Place in the plan', /RES-01/);
    await choose(asta, 'Record type', 'Document');
    await type(asta.getByRole('dialog').getByLabel('Date of the document'), '1 mar 2019');
    await asta.keyboard.press('Tab');
    await expect(asta.getByRole('dialog')).toContainText('then destroyed');
    await asta.getByRole('button', { name: 'File one record' }).click();
    await expect(asta.getByText(/Filed as RES-01\/\d{4}\/0001\./)).toBeVisible();
    await asta.keyboard.press('Escape');
  });

  await test.step('one proposes, the notice passes, the other approves, and it is destroyed with a certificate', async () => {
    await asta.goto('/docket');
    await asta.getByRole('button', { name: 'Run the sweep …' }).click();
    await asta.getByRole('dialog').getByRole('button', { name: 'Run it now' }).click();
    await asta.getByRole('button', { name: 'Propose batch of RES-01' }).click();
    await asta.getByRole('button', { name: 'Propose and announce' }).click();
    await expect(asta.getByRole('heading', { name: /1 × Notices and applications/ })).toBeVisible();
    // Whoever proposes does not approve.
    await expect(asta.getByRole('button', { name: 'Approve', exact: true })).toHaveCount(0);
    await laterBy(app, 8);
    await bo.goto('/today');
    await bo.getByRole('button', { name: /Decide: Batch .*Notices and applications/ }).click();
    await bo.getByRole('button', { name: 'Approve' }).click();
    await bo.getByRole('button', { name: 'Approve the batch' }).click();
    await expect(bo.getByText(/Bo Hale approved/)).toBeVisible();
    await asta.reload();
    await asta.getByRole('button', { name: 'Execute' }).click();
    await asta.getByRole('button', { name: 'Destroy one record' }).click();
    await expect(asta.getByRole('link', { name: /Certificate C-\d{4}/ })).toBeVisible();
  });

  await test.step('the first steps are done, and what is still to be arranged outside is said', async () => {
    await asta.goto('/today');
    await expect(asta.getByRole('heading', { name: /First steps/ })).toHaveCount(0);
    await asta.goto('/setup/outside');
    await expect(asta.getByRole('row', { name: /^Backup .*none/ })).toBeVisible();
  });

  // Two hundred letters a minute.
  expect(typed).toBeLessThan(10 * 200);
});
