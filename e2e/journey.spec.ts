import { execFile } from 'node:child_process';
import { writeFile } from 'node:fs/promises';
import { fileURLToPath } from 'node:url';
import { promisify } from 'node:util';
import { choose, expect, moveClock, signedIn, test } from './support/app.js';

const verifier = fileURLToPath(new URL('../tools/verify-ledger.mjs', import.meta.url));

test('one file from receiving to certificate, by three people, and a hold that saves one record', async ({ browser, app }, info) => {
  const ines = await signedIn(browser, app, 'ines');

  await test.step('the keeper makes a rule, publishes it and sets it on a new series', async () => {
    await ines.goto('/schedule/new');
    await ines.getByLabel('Code').fill('R-TST-1');
    await ines.getByLabel('Title').fill('Pilot boat checks');
    await ines.getByLabel('Authority').fill('Sound Compact, art. 99');
    await choose(ines, 'Rolled to', 'end of the month');
    await ines.getByLabel('How long').fill('P1M');
    await ines.getByLabel('Notice, days').fill('2');
    await expect(ines.getByText('the clock starts on 1 Oct 2026')).toBeVisible();
    await expect(ines.getByText('destroyed from 1 Nov 2026')).toBeVisible();
    await ines.getByRole('button', { name: 'Save draft' }).click();
    await ines.getByRole('button', { name: 'Publish …' }).click();
    await ines.getByRole('dialog').getByRole('button', { name: 'Publish' }).click();
    await expect(ines.getByText('Version 1 in force since')).toBeVisible();

    await ines.goto('/plan');
    await ines.getByRole('button', { name: 'New place' }).click();
    await choose(ines, 'Inside', 'PIL.2');
    await ines.getByRole('dialog').getByLabel('Code').fill('TST-01');
    await ines.getByRole('dialog').getByLabel('Title').fill('Pilot boat checks');
    await ines.getByRole('button', { name: 'Create the series' }).click();
    await ines.getByRole('link', { name: 'TST-01' }).click();
    await ines.getByRole('button', { name: 'Set a rule' }).click();
    await choose(ines, 'Rule', 'R-TST-1');
    await ines.getByRole('dialog').getByRole('button', { name: 'Set a rule' }).click();
    await expect(ines.getByRole('link', { name: 'R-TST-1' })).toBeVisible();
  });

  const lune = await signedIn(browser, app, 'lune');
  await test.step('a colleague drops files, sees the date before filing, and files them together', async () => {
    await lune.goto('/receiving');
    await lune
      .locator('input[type=file]')
      .first()
      .setInputFiles([
        { name: 'check_one.txt', mimeType: 'text/plain', buffer: Buffer.from('Boat check one: engine sound.') },
        { name: 'check_two.txt', mimeType: 'text/plain', buffer: Buffer.from('Boat check two: <script>alert(1)</script>') },
        { name: '../../etc/check_three.txt', mimeType: 'text/plain', buffer: Buffer.from('Boat check three.') },
        { name: 'empty.txt', mimeType: 'text/plain', buffer: Buffer.from('') },
      ]);
    await expect(lune.getByText('3 of 4 received')).toBeVisible();
    await expect(lune.getByText('This file is empty (0 bytes)')).toBeVisible();
    for (const name of ['check_one.txt', 'check_two.txt', 'check_three.txt'])
      await lune.getByLabel(`Mark ${name}`, { exact: true }).check();
    await lune.getByRole('button', { name: 'File 3' }).click();
    await choose(lune, 'Place in the plan', 'TST-01');
    await choose(lune, 'Record type', /^Report$/);
    await expect(lune.getByText('Kept until 31 Oct 2026, then destroyed.')).toBeVisible();
    await lune.getByRole('button', { name: 'File 3 records' }).click();
    await expect(lune.getByRole('dialog').getByText('Filed as TST-01/2026/0003.')).toBeVisible();
    await lune.keyboard.press('Escape');
  });

  await test.step('she finds them, looks inside one, edits a fact, adds a version and declares all', async () => {
    await lune.goto('/find?words=check');
    await lune.getByRole('row', { name: /check two/ }).click();
    await expect(lune.locator('kc-preview pre')).toContainText('<script>alert(1)</script>');
    await lune.getByRole('button', { name: 'Edit facts' }).click();
    await lune.getByRole('dialog').getByLabel('Area').fill('north fairway');
    await lune.getByRole('button', { name: 'Save facts' }).click();
    await expect(lune.getByRole('dialog')).toBeHidden();
    await lune
      .locator('input[type=file]')
      .setInputFiles({ name: 'second.txt', mimeType: 'text/plain', buffer: Buffer.from('Boat check two, corrected.') });
    await expect(lune.getByRole('tab', { name: 'Versions 2' })).toBeVisible();
    await expect(lune.locator('kc-preview pre')).toContainText('corrected');

    await lune.goto('/find?words=check');
    await lune.getByRole('checkbox', { name: 'Mark all found' }).check();
    await lune.getByRole('button', { name: 'Declare', exact: true }).click();
    await lune.getByRole('button', { name: /Declare \d+ records/ }).click();
    await expect(lune.getByRole('dialog').getByRole('heading', { name: 'Done' })).toBeVisible();
    await lune.keyboard.press('Escape');
    await lune.goto('/find?words=TST-01');
    await lune.getByRole('row', { name: /check one/ }).click();
    await expect(lune.getByText(/declared 14 Sep 2026/)).toBeVisible();
    await expect(lune.getByRole('button', { name: 'Edit facts' })).toBeHidden();
    await expect(lune.getByRole('button', { name: 'Add a version' })).toBeHidden();
  });

  const hanne = await signedIn(browser, app, 'hanne');
  await test.step('counsel holds one of them', async () => {
    await hanne.goto('/find?words=TST-01');
    await hanne
      .getByRole('row', { name: /check two/ })
      .getByRole('checkbox')
      .check();
    await hanne.getByRole('button', { name: 'Hold', exact: true }).click();
    const sheet = hanne.getByRole('dialog');
    await sheet.locator('#matter-code').fill('C-2026-9');
    await sheet.getByLabel('Title of the matter').fill('Claim of the boat yard');
    await sheet.getByLabel('Name of the hold').fill('Boat yard');
    await sheet.getByLabel('Reason').fill('The yard has announced a claim.');
    await sheet.getByRole('button', { name: 'Place hold on one record' }).click();
    await expect(sheet.getByText('The hold covers 1 record.')).toBeVisible();
    await hanne.keyboard.press('Escape');
    await expect(hanne.getByRole('row', { name: /check two.*held/ })).toBeVisible();
  });

  await test.step('their day comes; the keeper proposes what is not held, counsel releases nothing', async () => {
    await moveClock(ines, '2026-11-01');
    await ines.goto('/docket');
    await expect(ines.getByRole('row', { name: /TST-01.*1 more held/ })).toBeVisible();
    await ines.getByRole('button', { name: 'Propose batch of TST-01' }).click();
    await ines.getByRole('button', { name: 'Propose and announce' }).click();
    await expect(ines.getByRole('heading', { name: /2 × Pilot boat checks/ })).toBeVisible();
    await lune.goto('/messages');
    await expect(lune.getByText(/2 of your records are due to be destroyed/)).toBeVisible();
  });

  await test.step('a hold arrives while the batch is on its way', async () => {
    await hanne.goto('/find?words=TST-01');
    await hanne
      .getByRole('row', { name: /check three/ })
      .getByRole('checkbox')
      .check();
    await hanne.getByRole('button', { name: 'Hold', exact: true }).click();
    const sheet = hanne.getByRole('dialog');
    await choose(hanne, 'Matter', /Claim of the boat yard/);
    await sheet.getByLabel('Name of the hold').fill('Boat yard, later');
    await sheet.getByLabel('Reason').fill('The third check belongs to it as well.');
    await sheet.getByRole('button', { name: 'Place hold on one record' }).click();
    await expect(sheet.getByText('The hold covers 1 record.')).toBeVisible();
  });

  await test.step('another person approves, the keeper executes: the held one stays, the other is destroyed', async () => {
    await moveClock(ines, '2026-11-05');
    const dario = await signedIn(browser, app, 'dario');
    await dario.getByRole('button', { name: /Decide: Batch .*Pilot boat checks/ }).click();
    await dario.getByRole('button', { name: 'Approve' }).click();
    await dario.getByRole('button', { name: 'Approve the batch' }).click();
    await expect(dario.getByText(/Dario Quist approved/)).toBeVisible();
    await ines.reload();
    await ines.getByRole('button', { name: 'Execute' }).click();
    await ines.getByRole('button', { name: 'Destroy one record' }).click();
    await expect(ines.getByText('1 destroyed, 1 not.')).toBeVisible();
    await expect(ines.getByText('It is held.')).toBeVisible();
    const [certificate] = await Promise.all([ines.waitForEvent('popup'), ines.getByRole('link', { name: /Certificate C-2026/ }).click()]);
    const pdf = await ines.request.get(certificate.url());
    expect((await pdf.body()).subarray(0, 5).toString()).toBe('%PDF-');
    await ines.getByRole('link', { name: /check one/ }).click();
    await expect(ines.getByText('The content is gone.')).toBeVisible();
    await ines.getByRole('tab', { name: 'Ledger' }).click();
    await expect(ines.getByText('destroyed', { exact: true }).first()).toBeVisible();
  });

  await test.step('and all of it can be proved without the program', async () => {
    await ines.goto('/proof');
    await ines.getByRole('button', { name: 'Seal now' }).click();
    await ines.getByRole('button', { name: 'Verify all' }).click();
    await expect(
      ines.getByText(/All [\d,]+ sealed entries are as they were sealed, under every tree head, and as the witness saw them/),
    ).toBeVisible();
    await choose(ines, 'Act', 'destroyed');
    await expect(ines.getByRole('row', { name: /destroyed .*check one/ })).toBeVisible();
    await expect(ines.getByRole('row', { name: /filed .*check one/ })).toHaveCount(0);
    const [download] = await Promise.all([ines.waitForEvent('download'), ines.getByRole('link', { name: 'Export with proofs' }).click()]);
    const file = info.outputPath('export.jsonl');
    await download.saveAs(file);
    const run = promisify(execFile);
    expect((await run(process.execPath, [verifier, file])).stdout).toContain('OK');
    const { readFile } = await import('node:fs/promises');
    await writeFile(file, (await readFile(file, 'utf8')).replace('"destroyed\\"', '"destroyeD\\"').replace('destroyed', 'destroyeD'));
    await expect(run(process.execPath, [verifier, file])).rejects.toThrow();
  });
});
