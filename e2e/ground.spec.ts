import { choose, expect, signedIn, test } from './support/app.js';

test.use({ repository: 'demo of ground' });

test('a rule is changed with its effect seen first, and the second keeper who edits it is told', async ({ browser, app }) => {
  const ines = await signedIn(browser, app, 'ines');
  const tomas = await signedIn(browser, app, 'tomas');
  const open = async (page: typeof ines): Promise<void> => {
    await page.goto('/schedule');
    await page.getByRole('searchbox', { name: 'Narrow the rules' }).fill('R-PIL-2');
    await page.getByRole('link', { name: /R-PIL-2/ }).click();
    await page.getByRole('button', { name: 'Edit as a draft' }).click();
  };
  await open(tomas);
  await tomas.getByLabel('How long').fill('9 years');

  await test.step('the effect says how many move, which farthest, and follows what one chooses', async () => {
    await open(ines);
    await ines.getByLabel('How long').fill('12y');
    // As one types, in the browser: on all that the rule may govern, on one of them, and on a date.
    const would = ines.getByRole('region', { name: 'What it would do' });
    await expect(would.getByText(/Of 140 records 140 would follow it\.\s+140 get a later date\./)).toBeVisible();
    await would
      .getByRole('button', { name: /^PIL-02\// })
      .nth(1)
      .click();
    await expect(ines.getByText('of 140 that it may govern')).toBeVisible();
    await expect(ines.getByText(/Rule R-PIL-2 version 3, set on series PIL-02/)).toBeVisible();
    await ines.getByRole('combobox', { name: 'Another record' }).pressSequentially('HAR-05');
    await ines.getByRole('option').first().click();
    await expect(ines.getByText('This rule is not set on it or around it. If it were:')).toBeVisible();
    await ines.getByRole('button', { name: 'A date', exact: true }).click();
    await expect(ines.getByText('destroyed from 1 Jan 2039')).toBeVisible();
    await ines.getByRole('button', { name: 'Publish …' }).click();
    const sheet = ines.getByRole('dialog');
    await expect(sheet.getByText(/Of [\d,]+ records 140 would follow it\./)).toBeVisible();
    await expect(sheet.getByText(/140 get a later date/)).toBeVisible();
    await expect(sheet.getByRole('link', { name: /^PIL-02\/\d{4}\/\d+/ }).first()).toBeVisible();
    await sheet.getByLabel('only records whose clock starts on that day or later').check();
    await expect(sheet.getByText(/140 would follow it/)).toBeHidden();
    await sheet.getByLabel('all records').check();
    await expect(sheet.getByText(/140 get a later date/)).toBeVisible();
    await sheet.getByRole('button', { name: 'Publish' }).click();
    await expect(ines.getByText('Version 3 in force since')).toBeVisible();
    await expect(ines.getByText(/140 of 140 records got another date, rule or next step/)).toBeVisible();
  });

  await test.step('the second keeper is told, and keeps what was typed', async () => {
    await tomas.getByRole('button', { name: 'Save draft' }).click();
    await expect(tomas.getByRole('alert')).toContainText('changed');
    await expect(tomas.getByText('Ines Okafor-Lind published version 3 while you were editing.')).toBeVisible();
    await expect(tomas.getByRole('region', { name: 'What changed meanwhile' })).toContainText('destroyed 12 years after the clock starts');
    await expect(tomas.getByLabel('How long')).toHaveValue('9 years');
    await tomas.getByRole('button', { name: 'Keep my edits on top' }).click();
    await tomas.getByRole('link', { name: 'Holds' }).click();
    const leaving = tomas.getByRole('dialog', { name: 'Leave without saving?' });
    await expect(leaving.getByRole('button', { name: 'Stay here' })).toBeFocused();
    await tomas.keyboard.press('Escape');
    await expect(leaving).toBeHidden();
    await expect(tomas).toHaveURL(/\/schedule\//);
    await tomas.getByRole('button', { name: 'Save draft' }).click();
    await expect(tomas.getByRole('button', { name: 'Save draft' })).toBeDisabled();
    await expect(tomas.getByLabel('How long')).toHaveValue('9 years');
    await expect(tomas.getByText(/Draft of Tomas Varga/)).toBeVisible();
    await tomas.getByRole('link', { name: 'Holds' }).click();
    await expect(tomas, 'nothing to lose, nothing asked').toHaveURL(/\/holds/);
  });

  await test.step('thirty years ahead are told as they stand and with that draft, down to the months of one', async () => {
    await ines.goto('/schedule/forecast');
    await choose(ines, 'With a draft', 'draft of R-PIL-2');
    await expect(ines.getByText(/[\d,]+ steps come due until 2056 as it stands, [\d,]+ with the draft\./)).toBeVisible();
    await choose(ines, 'Rule', /R-PIL-2/);
    await choose(ines, 'Year', '2030');
    await expect(ines.getByText(/steps come due in 2030 as it stands/)).toBeVisible();
    await ines.getByRole('button', { name: 'By series' }).click();
    await expect(ines.getByRole('row', { name: /2030-01 PIL-02/ })).toBeVisible();
  });

  await test.step('a record says which rule it follows, and which it followed on an earlier day', async () => {
    await ines.goto('/find?words=slip%20Pale%20Heron');
    await ines
      .locator('a[data-index]')
      .filter({ hasText: /Service slip .*Pale Heron/ })
      .first()
      .click();
    await expect(ines.getByText('Rule R-PIL-2 version 3')).toBeVisible();
    await ines.getByLabel('Which rule was in force on').fill('2010-06-01');
    await expect(ines.getByText('Rule R-PIL-2 version 1')).toBeVisible();
    await ines.getByRole('button', { name: 'Back to today' }).click();
    await expect(ines.getByText('Rule R-PIL-2 version 3')).toBeVisible();
  });
});

test('a rule by criteria with the keyboard alone, a date by hand, and an event put right', async ({ browser, app }) => {
  const ines = await signedIn(browser, app, 'ines');

  await test.step('criteria are typed, mended, completed and counted', async () => {
    await ines.goto('/schedule/criteria');
    await expect(ines.getByText('record type is Inspection report and Finding is unsafe')).toBeVisible();
    await ines.keyboard.press('n');
    await ines.getByRole('combobox', { name: 'Rule', exact: true }).focus();
    await ines.keyboard.press('ArrowDown');
    await ines.waitForFunction(() => document.activeElement?.matches('.p-select-filter'));
    await ines.keyboard.type('R-GOV-1');
    await expect(ines.getByRole('option').first()).toContainText('R-GOV-1');
    await ines.keyboard.press('ArrowDown');
    await ines.keyboard.press('Enter');
    const field = ines.getByRole('combobox', { name: 'Which records' });
    await field.focus();
    await ines.keyboard.type('under HAR-06 and titel starts with Refit');
    await ines.getByLabel('Why').focus();
    await expect(ines.getByText('“titel” is not a condition that is known here.')).toBeVisible();
    await ines.getByRole('button', { name: 'title?' }).press('Enter');
    await expect(field).toHaveValue('under HAR-06 and title starts with Refit');
    await ines.getByRole('button', { name: 'How many?' }).press('Enter');
    await expect(ines.getByText(/^\d+ records match now\.$/)).toBeVisible();
    await ines.getByLabel('Why').fill('Refits are looked at for a hundred years.');
    await ines.getByRole('button', { name: 'Set the rule' }).press('Enter');
    await expect(ines.getByText(/\d+ records were recalculated\./)).toBeVisible();
    await expect(ines.getByText('title starts with Refit')).toBeVisible();
  });

  await test.step('Find follows the same words, and the record says why', async () => {
    await ines.goto('/find');
    await ines.getByRole('grid').or(ines.getByRole('table')).first().waitFor();
    await ines.keyboard.press('q');
    await ines.getByRole('combobox', { name: 'Records with' }).fill('under HAR-06 and title starts with Refit');
    await expect(ines).toHaveURL(/where=under/);
    await ines.locator('a[data-index]').filter({ hasText: 'Refit of the' }).first().click();
    await expect(ines.getByText('set on criteria no. 3')).toBeVisible();
    await expect(ines.getByText('Kept for good under rule R-GOV-1.')).toBeVisible();
  });

  await test.step('a date by hand says first what it does, and can be taken back', async () => {
    await ines.getByRole('button', { name: 'Override', exact: true }).click();
    const sheet = ines.getByRole('dialog');
    await sheet.getByLabel('Due on').fill('2060-01-01');
    await sheet.getByLabel('Reason').fill('The maker asked for it back by then.');
    await sheet.getByRole('button', { name: 'What would change?' }).click();
    await expect(sheet.getByText('1 of 1 would change, 1 of them with shorter retention')).toBeVisible();
    await sheet.getByRole('button', { name: 'Set it on one record' }).click();
    await expect(sheet.getByText(/kept for good \(R-GOV-1\) → 1 Jan 2060/)).toBeVisible();
    await ines.keyboard.press('Escape');
    await expect(ines.getByText('Override', { exact: true }).last()).toBeVisible();
    await expect(ines.getByText('The maker asked for it back by then.')).toBeVisible();
  });

  await test.step('an event starts the clocks of a folder, and is corrected', async () => {
    await ines.goto('/schedule/waiting');
    await ines.getByRole('link', { name: /B-06/ }).click();
    await ines.getByRole('button', { name: 'Record an event' }).click();
    await ines.getByLabel('What happened').fill('lease ended');
    await ines.getByLabel('On', { exact: true }).fill('2025-06-30');
    await ines.getByRole('button', { name: 'Record the event' }).click();
    await expect(ines.getByText('30 Jun 2025', { exact: false }).first()).toBeVisible();
    await ines.getByRole('button', { name: /Correct lease ended/ }).click();
    await ines.getByLabel('On', { exact: true }).fill('2024-06-30');
    await ines.getByLabel('Why it was wrong').fill('The letter says 2024.');
    await ines.getByRole('button', { name: 'Correct it' }).click();
    await expect(ines.getByText('withdrawn by Ines Okafor-Lind: The letter says 2024.')).toBeVisible();
  });

  await test.step('the check leads to where things are mended', async () => {
    await ines.goto('/schedule/check');
    await ines.getByRole('link', { name: /No rule reaches series DRG-07/ }).click();
    await expect(ines.getByRole('heading', { name: /DRG-07/ })).toBeVisible();
  });
});

test('a small plan comes from a table, and is moved about with its effect seen first', async ({ browser, app }) => {
  const ines = await signedIn(browser, app, 'ines');
  const table = (lines: string): { name: string; mimeType: string; buffer: Buffer } => ({
    name: 'plan.csv',
    mimeType: 'text/csv',
    buffer: Buffer.from(`code,kind,inside,title,belongs here,rules\n${lines}`),
  });

  await test.step('errors are told by row and column, and nothing is taken in', async () => {
    await ines.goto('/plan');
    await ines.getByRole('button', { name: 'Import …' }).click();
    const file = ines.getByRole('dialog').locator('input[type=file]');
    await file.setInputFiles(table('LIT,function,,Lights,,\nLIT-01,series,LITT,Buoys,,R-NONE\n'));
    await expect(ines.getByText('there is no place LITT')).toBeVisible();
    await expect(ines.getByText('there is no published rule R-NONE')).toBeVisible();
    await file.setInputFiles(
      table(
        'LIT,function,,Lights,All that shines,\nLIT-01,series,LIT,Buoys,,R-SAF-3\nLIT-02,series,LIT,Leading lights,,\nL-1,folder,LIT-01,North,,\n',
      ),
    );
    await expect(ines.getByText('4 of 4 rows change something.')).toBeVisible();
    await ines.getByRole('button', { name: 'Apply 4 changes' }).click();
    await expect(ines.getByText('4 changes were made', { exact: false })).toBeVisible();
  });

  await test.step('a series is renumbered, and its old code still leads there', async () => {
    await ines.goto('/plan?view=outline');
    await ines.getByRole('link', { name: /LIT-01/ }).click();
    await ines.getByRole('button', { name: 'Change …' }).click();
    await ines.getByRole('menuitem', { name: 'Describe and renumber' }).click();
    await ines.getByRole('dialog').getByLabel('Code').fill('LIT-11');
    await ines.getByRole('dialog').getByLabel('What depositors see when they file here').fill('One picture of each buoy, please.');
    await ines.getByRole('dialog').getByRole('button', { name: 'Describe and renumber' }).click();
    await expect(ines.getByText('Formerly LIT-01')).toBeVisible();
    await expect(ines.getByText('One picture of each buoy, please.')).toBeVisible();
    await ines.keyboard.press('/');
    await ines.keyboard.type('LIT-01');
    await expect(ines.getByRole('option', { name: /LIT-11/ })).toBeVisible();
    await ines.keyboard.press('Escape');
  });

  await test.step('with the mouse a series is dragged, with the keyboard it is sent back', async () => {
    await ines.goto('/plan?view=outline');
    for (const code of ['PEO', 'GOV']) await ines.getByRole('button', { name: `Fold ${code}`, exact: true }).click();
    const series = ines.locator('a[data-place]', { hasText: 'FIN-06' });
    await series.dragTo(ines.locator('tbody tr', { hasText: 'LIT Lights' }));
    const sheet = ines.getByRole('dialog');
    await expect(sheet.getByText(/\d+ records and 0 places go along\./)).toBeVisible();
    await expect(sheet.locator('p', { hasText: 'Lose access:' })).toContainText('Kofi Renner');
    await expect(sheet.getByText(/Of [\d,]+ records none would get another date\./)).toBeVisible();
    await sheet.getByRole('button', { name: 'Move', exact: true }).click();
    await expect(sheet).toBeHidden();
    // The keyboard is where the series went.
    await expect(series).toBeFocused();
    await ines.keyboard.press('m');
    await choose(ines, 'Move under', /FIN\.2/);
    await expect(sheet.locator('p', { hasText: 'Gain access:' })).toContainText('Kofi Renner');
    await sheet.getByRole('button', { name: 'Move', exact: true }).press('Enter');
    await expect(sheet).toBeHidden();
    await expect(series).toBeFocused();
  });

  await test.step('two series become one, and the plan goes out again', async () => {
    await ines.goto('/plan?view=outline');
    await ines.getByRole('link', { name: /LIT-02/ }).click();
    await ines.getByRole('button', { name: 'Change …' }).click();
    await ines.getByRole('menuitem', { name: 'Merge into another' }).click();
    await choose(ines, 'Merge into', /LIT-11/);
    await ines.getByRole('dialog').getByRole('button', { name: 'Merge' }).click();
    await expect(ines.getByText('retired 14 Sep 2026')).toBeVisible();
    const response = await ines.request.get('/api/plan/export?format=csv');
    expect(response.headers()['content-disposition']).toContain('plan.csv');
    expect(await response.text()).toContain('LIT-11,series,LIT,Buoys');
  });

  await test.step('a code of before is given again only by whoever was told whose it was', async () => {
    await ines.goto('/plan?view=outline');
    await ines
      .getByRole('link', { name: /^LIT Lights|LIT$/ })
      .first()
      .click();
    await ines.getByRole('button', { name: 'New here' }).click();
    const sheet = ines.getByRole('dialog');
    await choose(ines, 'Kind', 'series');
    await sheet.getByLabel('Code').fill('LIT-01');
    await sheet.getByLabel('Title').fill('Beacons');
    await sheet.getByRole('button', { name: 'Create the series' }).click();
    await expect(sheet.getByText('LIT-01 was the code of LIT-11 Buoys until', { exact: false })).toBeVisible();
    await sheet.getByRole('button', { name: 'Give it all the same' }).click();
    await expect(sheet).toBeHidden();
    await expect(ines.getByText('LIT-01').first()).toBeVisible();
  });

  await test.step('a series is split by the values of a fact, and no due date moves', async () => {
    await ines.goto('/plan?view=outline');
    await ines
      .getByRole('link', { name: /BER-01/ })
      .first()
      .click();
    await ines.getByRole('button', { name: 'Change …' }).click();
    await ines.getByRole('menuitem', { name: 'Split' }).click();
    const sheet = ines.getByRole('dialog');
    await sheet.getByRole('button', { name: 'By a fact' }).click();
    await choose(ines, 'Fact', 'Berth');
    const first = sheet.getByRole('row', { name: /Berth 1 / });
    await first.getByRole('checkbox').check();
    await first.getByLabel('Code').fill('BER-51');
    await sheet.getByRole('button', { name: 'Try it' }).click();
    await expect(sheet.getByText('No due date moves.')).toBeVisible({ timeout: 30_000 });
    await expect(sheet.getByText(/declared records? leave/)).toBeVisible();
    await sheet.getByLabel('Reason').fill('Berth 1 has an office of its own.');
    await sheet.getByRole('button', { name: 'Split it' }).click();
    await sheet.getByRole('link', { name: /BER-51/ }).click({ timeout: 30_000 });
    await expect(ines.getByRole('heading', { name: /BER-51/ })).toBeVisible();
    await expect(ines.getByText('R-BER-1', { exact: false }).first()).toBeVisible();
  });
});
