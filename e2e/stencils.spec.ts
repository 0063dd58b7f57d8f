import { choose, expect, signedIn, test } from './support/app.js';

test.use({ repository: 'demo of stencils' });

const given = ['Ada', 'Bram', 'Cleo', 'Dag', 'Elin', 'Finn', 'Gro', 'Hale'];
const family = ['Quill', 'Ostler', 'Tarn', 'Wick', 'Moor'];
const forty = given.flatMap((g) => family.map((f) => `${g} ${f}`));

test('a stencil is used for forty people at once, is changed, and its change comes to what nobody touched', async ({ browser, app }) => {
  const ines = await signedIn(browser, app, 'ines');

  await test.step('a role of each use is given access to one of its folders', async () => {
    await ines.goto('/plan/stencils');
    await ines.getByRole('link', { name: 'Staff file' }).click();
    await ines.getByRole('button', { name: 'add a role' }).click();
    await ines.getByLabel('Role 1', { exact: true }).fill('Line manager');
    await ines.getByRole('button', { name: /^APPRAISALS/ }).click();
    await ines.getByRole('button', { name: 'add a grant' }).click();
    await expect(ines.getByText('Whoever is Line manager')).toBeVisible();
    await ines.getByRole('button', { name: 'Save as version 3' }).click();
    await expect(ines.getByText('Existing folders can be updated to it.')).toBeVisible();
    await ines.getByRole('button', { name: 'compare', exact: true }).click();
    await expect(ines.getByText('Line manager as Reader')).toBeVisible();
    await ines.keyboard.press('Escape');
  });

  await test.step('wrong lines are told before anything is made', async () => {
    await ines.goto('/plan/stencils');
    await ines.getByRole('link', { name: 'Staff file' }).click();
    await ines.getByRole('button', { name: 'Use it …' }).click();
    await ines.getByRole('button', { name: 'For many, from a table' }).click();
    await choose(ines, 'In', 'PEO-01 Personnel files');
    await ines.getByLabel('One line per folder').fill('person,salary\nAda Quill,3\n');
    await ines.getByRole('button', { name: 'Try it' }).click();
    await expect(ines.getByText('salary: no such column.')).toBeVisible();
    await ines
      .getByLabel('One line per folder')
      .fill(`person,Line manager,code\n${forty.map((name) => `${name},tomas,`).join('\n')}\n,tomas,P-99\n`);
    await ines.getByRole('button', { name: 'Try it' }).click();
    await expect(ines.getByText('40 would be created, 1 refused.')).toBeVisible({ timeout: 60_000 });
    await expect(ines.getByText('Person is missing.')).toBeVisible();
  });

  await test.step('forty folders with all that is in them', async () => {
    await ines.getByRole('button', { name: 'Create 40 folders' }).click();
    await expect(ines.getByText('40 created, 1 refused.')).toBeVisible({ timeout: 60_000 });
    await ines.getByRole('dialog').getByRole('link', { name: 'P-43 Ada Quill' }).click();
    await expect(ines.getByRole('heading', { name: 'P-43 Ada Quill' })).toBeVisible();
    await expect(ines.getByText('Line manager: Tomas Varga')).toBeVisible();
    await ines.getByRole('link', { name: /HEALTH/ }).click();
    await expect(ines.getByText('R-PEO-5').first()).toBeVisible();
  });

  await test.step('another is named for a role, and access goes along', async () => {
    await ines.getByRole('link', { name: /P-43 Ada Quill/ }).click();
    await ines.locator('kc-place-roles').getByRole('button', { name: 'change' }).click();
    await choose(ines, 'Line manager', 'Hanne Bright');
    await ines.getByRole('button', { name: 'Try it' }).click();
    await expect(ines.getByText('Hanne Bright as Reader')).toBeVisible();
    await ines.getByRole('button', { name: 'Name them' }).click();
    await expect(ines.getByText('Line manager: Hanne Bright')).toBeVisible();
  });

  await test.step('what people changed stays theirs when another version is brought', async () => {
    await ines.getByRole('button', { name: 'Change …' }).click();
    await ines.getByRole('menuitem', { name: 'Describe and renumber' }).click();
    await ines.getByLabel('Title').fill('Ada Quill, first mate');
    await ines.getByRole('button', { name: 'Describe and renumber' }).click();
    await expect(ines.getByRole('heading', { name: 'Ada Quill, first mate' })).toBeVisible();
    await ines.getByRole('link', { name: 'Created from “Staff file”' }).click();
    await ines.getByLabel('Title').fill('{person}, staff');
    await ines.getByRole('button', { name: 'Save as version 4' }).click();
    await expect(ines.getByText('Existing folders can be updated to it.')).toBeVisible();
    await ines.getByRole('button', { name: 'Apply the changes …' }).click();
    await expect(ines.getByText('42 would change, 0 cannot.')).toBeVisible({ timeout: 30_000 });
    await expect(ines.getByText('P-43: title, changed here')).toBeVisible();
    await ines.getByRole('button', { name: 'Apply them' }).click();
    await expect(ines.getByText('42 updated, 0 refused.')).toBeVisible({ timeout: 60_000 });
    await ines.getByRole('dialog').getByRole('link', { name: 'P-44 Ada Ostler' }).click();
    await expect(ines.getByRole('heading', { name: 'P-44 Ada Ostler, staff' })).toBeVisible();
  });

  await test.step('its ready titles are offered where something is filed', async () => {
    await ines.getByRole('link', { name: /APPRAISALS/ }).click();
    await expect(ines.getByRole('heading', { name: /APPRAISALS/ })).toBeVisible();
    await ines
      .locator('input[type=file]')
      .first()
      .setInputFiles({ name: 'scan.txt', mimeType: 'text/plain', buffer: Buffer.from('An appraisal.') });
    await ines.waitForURL(/receiving/);
    await ines.getByRole('button', { name: 'File scan.txt' }).click();
    await ines.getByRole('button', { name: '2026-09-14 Appraisal 1 of Ada Ostler' }).click();
    await expect(ines.getByLabel('Title', { exact: true })).toHaveValue('2026-09-14 Appraisal 1 of Ada Ostler');
    await expect(ines.getByLabel('Person (required)')).toHaveValue('Ada Ostler');
    // What it would be kept for comes a moment later, and moves what stands below it.
    await expect(ines.getByText('Waits for event “person left”. Until then it is kept.')).toBeVisible();
    await ines.getByRole('button', { name: 'File one record' }).click();
    await expect(ines.getByText(/Filed as PEO-01/)).toBeVisible();
  });
});
