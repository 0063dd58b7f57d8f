import { Secret, TOTP } from 'otpauth';
import { choose, expect, password, signedIn, test } from './support/app.js';

test.use({ repository: 'demo of access' });

/** A kept connection may be closed by the other side at any moment; what is safe to repeat is repeated (RFC 9110 §9.2.2). */
const again = { maxRetries: 2 };

test('access is looked into: why, side by side, on an earlier day, and many grants get a last day at once', async ({ browser, app }) => {
  const ines = await signedIn(browser, app, 'ines');

  await test.step('a cell says why, with the keyboard alone', async () => {
    await ines.goto('/today');
    await expect(ines.getByRole('link', { name: /^Today/ })).toBeVisible();
    await expect(ines.getByRole('heading', { level: 1 })).toBeVisible();
    await ines.keyboard.press('9');
    await expect(ines.getByRole('heading', { name: 'Access', exact: true })).toBeVisible();
    const kofi = ines.getByRole('gridcell', { name: 'Kofi Renner on DRG Dredging and works: Editor (given here), Reader' });
    await kofi.focus();
    await ines.keyboard.press('ArrowUp');
    await expect(ines.getByRole('gridcell', { name: /^Kofi Renner on BER / })).toBeFocused();
    await ines.keyboard.press('ArrowDown');
    await ines.keyboard.press('Enter');
    const why = ines.getByRole('dialog', { name: 'Why' });
    await expect(why.getByText('given on 31 Aug 2026')).toBeVisible();
    await expect(why.getByRole('row', { name: /deposit, annotate, edit/ })).toContainText('Editor on DRG');
    await why.getByRole('button', { name: 'Side by side with …' }).click();
  });

  await test.step('and what was so before', async () => {
    await expect(ines.getByRole('heading', { name: 'Why, and side by side' })).toBeVisible();
    await ines.getByLabel('On', { exact: true }).last().fill('30 aug 2026');
    await ines.keyboard.press('Tab');
    const edited = ines.getByRole('row', { name: /edit/ }).first();
    await expect(edited).toContainText('yes');
    await expect(edited).toContainText('no');
    await ines.goto('/access/reach');
    await choose(ines, 'Place', 'SAF Safety and inquiries');
    await ines.getByLabel('What changed since').fill('5 sep 2026');
    await ines.keyboard.press('Tab');
    await expect(ines.getByRole('row', { name: /Mirela Stone less than before/ })).toBeVisible();
  });

  await test.step('grants without an end get one, with the effect first', async () => {
    await ines.goto('/access/look');
    await ines.getByText('Sunniva Holt, Depositor on HAR Harbour operations, without an end').click();
    await ines.getByText('Lune Abara, Steward on PIL Pilotage, without an end').click();
    await expect(ines.getByText('2 grants marked.')).toBeVisible();
    await ines.getByRole('button', { name: 'Give a last day …' }).click();
    await ines.getByLabel('Until, that day included').fill('end of year');
    await ines.getByLabel('Reason').fill('looked at once a year');
    await ines.getByRole('button', { name: 'See the effect' }).click();
    await expect(ines.getByText('Nobody gains or loses access to anything that you can see.')).toBeVisible();
    await ines.getByRole('button', { name: 'Give a last day', exact: true }).click();
    await expect(ines.getByText('2 done')).toBeVisible();
    await ines.getByRole('button', { name: 'Close', exact: true }).last().click();
    await expect(ines.getByText('Lune Abara, Steward on PIL Pilotage, without an end')).toHaveCount(0);
  });
});

test('a visitor is let in by a pass, sees what it is for and nothing else, and is shown out at once', async ({ browser, app }) => {
  const ines = await signedIn(browser, app, 'ines');
  const listed = await ines.request.get('/api/records?words=gauge', again);
  const { records } = (await listed.json()) as { records: { id: string; mediaType: string | null }[] };
  await ines.goto(`/records/${records.find((r) => r.mediaType !== null)!.id}`);
  await ines.getByRole('button', { name: 'Visitor pass' }).click();
  const sheet = ines.getByRole('dialog', { name: 'Visitor pass' });
  await sheet.getByLabel('For', { exact: true }).fill('Ann Lee');
  await sheet.getByLabel('Reason').fill('compares the gauges');
  await sheet.getByLabel('Passphrase').fill('a grey heron');
  await sheet.getByRole('button', { name: 'Make the pass' }).click();
  const link = await sheet.getByLabel('Link').inputValue();

  const visitor = await (await browser.newContext({ baseURL: app.url })).newPage();
  await visitor.goto(link);
  await expect(visitor.getByRole('heading', { name: 'Welcome, Ann Lee' })).toBeVisible();
  await visitor.getByLabel('Passphrase').fill('a grey herring');
  await visitor.getByRole('button', { name: 'Open' }).click();
  await expect(visitor.getByText('That is not the passphrase.')).toBeVisible();
  await visitor.getByLabel('Passphrase').fill('a grey heron');
  await visitor.keyboard.press('Enter');
  await expect(visitor.getByRole('img', { name: /^Page 1 of/ })).toBeVisible();
  // A curious visitor tries other addresses.
  for (const path of [
    '/api/me',
    '/api/records',
    '/api/plan',
    '/api/passes',
    '/api/pass/records/00000000-0000-4000-8000-000000000000/pages/1',
  ])
    expect([401, 404], path).toContain((await visitor.request.get(path, again)).status());
  await visitor.goto('/pass');
  await expect(visitor.getByRole('img', { name: /^Page 1 of/ })).toBeVisible();

  await ines.goto('/access/passes');
  const row = ines.getByRole('row', { name: /Ann Lee/ });
  await expect(row).toContainText('with a passphrase');
  await row.getByRole('button', { name: 'revoke' }).click();
  await ines.getByLabel('Reason').fill('compared');
  await ines.getByRole('button', { name: 'Revoke the pass' }).click();
  await expect(row).toContainText('revoked');
  await visitor.reload();
  await expect(visitor.getByRole('heading', { name: 'This pass is not open' })).toBeVisible();
});

test('a reader asks for more at a place, is given it for a day by somebody else, and loses it by itself', async ({ browser, app }) => {
  const ruben = await signedIn(browser, app, 'ruben');
  const lune = await signedIn(browser, app, 'lune');
  const plan = await ruben.request.get('/api/places-by-code?code=PIL', again);
  const { places } = (await plan.json()) as { places: { id: string }[] };
  const place = `/plan/${places[0]!.id}`;
  const asked = { when: '14 Sep 2026', why: 'puts the logs of the summer in order' };

  await ruben.goto(place);
  await ruben.getByText('Arrangement', { exact: true }).click();
  await ruben.getByRole('button', { name: 'ask for more access' }).click();
  await choose(ruben, 'As', 'Editor');
  await ruben.getByLabel('Reason').fill(asked.why);
  await ruben.getByRole('button', { name: 'Ask for it' }).click();
  await expect(ruben.getByText(`You asked to be Editor here until ${asked.when}; nobody has answered yet.`)).toBeVisible();

  await lune.goto('/today');
  await lune.getByRole('button', { name: 'Decide: Somebody asks for more access' }).click();
  await lune
    .getByRole('row', { name: new RegExp(asked.why) })
    .getByRole('button', { name: 'Decide' })
    .click();
  await lune.getByLabel('Note for who asked').fill('For today.');
  await lune.getByRole('button', { name: 'Give it' }).click();
  await expect(lune.getByRole('row', { name: new RegExp(asked.why) })).toContainText('given');

  await ruben.reload();
  await ruben.getByText('Arrangement', { exact: true }).click();
  await expect(ruben.getByText(`Lune Abara made you Editor here until ${asked.when}.`)).toBeVisible();
  await expect(ruben.getByText(/May discover, read, copy out, deposit, annotate, edit/)).toBeVisible();
});

test('a group asks for a second factor; a member sets it up before anything else, and signs in with a code', async ({ browser, app }) => {
  const ines = await signedIn(browser, app, 'ines');
  const lune = await signedIn(browser, app, 'lune');
  await ines.goto('/setup/people');
  await ines.getByRole('button', { name: 'Pilotage', exact: true }).click();
  await ines.getByText('Its members have to set up a second factor for signing in').click();
  await ines.getByRole('dialog').getByRole('button', { name: 'Save' }).click();
  await expect(ines.getByRole('dialog')).toHaveCount(0);

  await lune.goto('/find');
  await expect(lune).toHaveURL(/second-factor/);
  await lune.getByRole('button', { name: 'Set it up' }).click();
  await lune.getByLabel('Your password').fill(password);
  await lune.getByRole('button', { name: 'Continue' }).click();
  const secret = (await lune.locator('code.secret').textContent())!.replaceAll(' ', '');
  const totp = new TOTP({ secret: Secret.fromBase32(secret) });
  await lune.getByRole('textbox', { name: 'Code' }).fill(totp.generate());
  await lune.getByRole('button', { name: 'Use it from now on' }).click();
  const recovery = (await lune.locator('.codes li').first().textContent())!;
  await lune.getByRole('button', { name: 'I have them' }).click();
  await expect(lune).toHaveURL(/today/);

  await lune.getByRole('button', { name: 'Lune Abara' }).click();
  await lune.getByRole('button', { name: 'Sign out' }).click();
  await lune.getByLabel('Login').fill('lune');
  await lune.getByLabel('Password').fill(password);
  await lune.getByRole('button', { name: 'Sign in', exact: true }).click();
  await lune.getByLabel('Code of your app').fill('000000');
  await lune.keyboard.press('Enter');
  await expect(lune.getByText('is not the code of this moment')).toBeVisible();
  await lune.getByLabel('Code of your app').fill(recovery);
  await lune.keyboard.press('Enter');
  await expect(lune).toHaveURL(/today/);
});

test('a keeper makes a profile, gives it to everybody on one record, and marks the record so that most lose sight of it', async ({
  browser,
  app,
}) => {
  const ines = await signedIn(browser, app, 'ines');
  const sunniva = await signedIn(browser, app, 'sunniva');
  const listed = await ines.request.get('/api/records?words=gauge', again);
  const { records } = (await listed.json()) as { records: { id: string; number: string }[] };
  const { id, number } = records[0]!;

  await test.step('a profile from single rights; what makes no sense is refused', async () => {
    await ines.goto('/access/profiles');
    await ines.getByRole('button', { name: 'Make a profile' }).click();
    const sheet = ines.getByRole('dialog', { name: 'Make a profile' });
    await sheet.getByLabel('Name').fill('Conservator');
    await sheet.getByLabel('dispose').check();
    await sheet.getByLabel('discover: find it').uncheck();
    await sheet.getByRole('button', { name: 'Make a profile' }).click();
    await expect(sheet.getByRole('alert')).toContainText('“read” is of no use without “discover”.');
    await sheet.getByLabel('discover: find it').check();
    await sheet.getByLabel('dispose').uncheck();
    await sheet.getByLabel('annotate').check();
    await sheet.getByRole('button', { name: 'Make a profile' }).click();
    await expect(ines.getByRole('columnheader', { name: 'Conservator' })).toBeVisible();
  });

  await test.step('given to everybody on one record, who find it from then on', async () => {
    expect((await sunniva.request.get(`/api/records/${id}`, again)).status()).toBe(404);
    await ines.goto(`/records/${id}`);
    await ines.getByRole('tab', { name: 'Access' }).click();
    await ines.getByRole('button', { name: 'give access' }).click();
    await choose(ines, 'Person or group', 'Everyone (group)');
    await choose(ines, 'As', 'Conservator');
    await ines.getByLabel('Reason').fill('shown at the open day');
    await ines.getByRole('button', { name: 'See the effect' }).click();
    await expect(ines.getByText('Sunniva Holt: discover, read, annotate on one record')).toBeVisible();
    await ines.getByRole('button', { name: 'Give access', exact: true }).click();
    await expect(ines.getByRole('row', { name: /Everyone.*Conservator here.*shown at the open day/ })).toBeVisible();
    await sunniva.goto('/find');
    await expect(sunniva.getByText(number)).toBeVisible();
  });

  await test.step('marked: whoever is not cleared sees nothing of it any more', async () => {
    await ines.getByRole('button', { name: 'marking' }).click();
    const sheet = ines.getByRole('dialog', { name: /^Marking of/ });
    await sheet.getByLabel('Level').fill('4');
    await sheet.getByLabel('Reason').fill('names who is under inquiry');
    await sheet.getByRole('button', { name: 'See the effect' }).click();
    await expect(sheet.getByText('You are not cleared for marking level 4 yourself.')).toBeVisible();
    await sheet.getByLabel('Level').fill('2');
    await sheet.getByRole('button', { name: 'See the effect' }).click();
    await expect(sheet.getByText('Sunniva Holt: discover, read, annotate on one record')).toBeVisible();
    await sheet.getByRole('button', { name: 'Mark so' }).click();
    await expect(ines.getByText('level 2')).toBeVisible();
    expect((await sunniva.request.get(`/api/records/${id}`, again)).status()).toBe(404);
    await sunniva.goto(`/records/${id}`);
    await expect(sunniva.getByText('does not exist here, or you may not see it')).toBeVisible();
  });
});

test('what belongs together gets a tag: whoever has access by it finds it wherever it lies, until the tag is out of use', async ({
  browser,
  app,
}) => {
  const ines = await signedIn(browser, app, 'ines');
  const sunniva = await signedIn(browser, app, 'sunniva');

  await test.step('a tag is made, and access given by it: nothing carries it yet', async () => {
    await ines.goto('/access');
    await ines.getByRole('link', { name: 'Tags', exact: true }).click();
    await ines.getByRole('button', { name: 'Make a tag' }).click();
    const sheet = ines.getByRole('dialog', { name: 'Make a tag' });
    await sheet.getByLabel('Name').fill('OTTOLINE inquiry');
    await sheet.getByRole('button', { name: 'Make a tag' }).click();
    await expect(sheet.getByText('There is an access tag “OTTOLINE inquiry” already.').first()).toBeVisible();
    await sheet.getByLabel('Name').fill('Open day');
    await sheet.getByLabel('Name').press('Enter');
    await expect(ines.getByRole('heading', { name: 'Open day' })).toBeVisible();
    await ines.getByRole('button', { name: 'Give access' }).click();
    await choose(ines, 'Person or group', 'Sunniva Holt');
    await ines.getByLabel('Reason').fill('leads visitors');
    await ines.getByRole('button', { name: 'See the effect' }).click();
    await expect(ines.getByText('Nobody gains or loses access to anything that you can see.')).toBeVisible();
    await ines.getByRole('dialog').getByRole('button', { name: 'Give access', exact: true }).click();
    await expect(ines.getByRole('row', { name: /Sunniva Holt.*Reader.*leads visitors/ })).toBeVisible();
  });

  const numbers: string[] = [];
  await test.step('it is put on what was found, with the effect first, and on a folder', async () => {
    await ines.goto('/find?words=lease');
    const marks = ines.getByRole('checkbox', { name: /^Mark [A-Z]/ });
    for (const at of [0, 1]) {
      await marks.nth(at).check();
      numbers.push((await marks.nth(at).getAttribute('aria-label'))!.slice('Mark '.length));
    }
    await ines.getByRole('button', { name: 'Access tags' }).click();
    const sheet = ines.getByRole('dialog', { name: 'Access tags of 2 records' });
    await sheet.locator('.p-multiselect').first().click();
    await ines.getByRole('option', { name: 'Open day' }).click();
    await sheet.getByLabel('Reason').fill('shown at the open day');
    await sheet.getByRole('button', { name: 'See the effect' }).click();
    await expect(sheet.getByText('Sunniva Holt: discover, read on 2 records')).toBeVisible();
    await sheet.getByRole('button', { name: 'Save' }).click();
    await expect(sheet.getByText('2 done')).toBeVisible();
    for (const number of numbers) {
      await sunniva.goto(`/find?words=${number}`);
      await expect(sunniva.getByText(number).first()).toBeVisible();
    }
    await ines.goto('/access/tags');
    await ines.getByRole('link', { name: 'Ottoline inquiry' }).click();
    await ines.getByRole('link', { name: /Grounding of the barge/ }).click();
    await ines.getByText('Arrangement').click();
    await ines.getByRole('button', { name: 'access tags' }).click();
    const onPlace = ines.getByRole('dialog', { name: /^Access tags of Q-19/ });
    await onPlace.locator('.p-multiselect').click();
    await ines.getByRole('option', { name: 'Open day' }).click();
    await onPlace.getByLabel('Reason').fill('shown too');
    await onPlace.getByRole('button', { name: 'See the effect' }).click();
    await expect(onPlace.getByText(/Sunniva Holt: discover, read on \d+ records and one place/)).toBeVisible();
    await onPlace.getByRole('button', { name: 'Save' }).click();
    await expect(ines.getByRole('row', { name: /Sunniva Holt.*Reader.*tag Open day/ })).toBeVisible();
  });

  await test.step('why says by which tag; out of use it gives nothing, in the open session too', async () => {
    await sunniva.goto('/find?words=Ottoline');
    await sunniva
      .getByText(/barge Ottoline/)
      .first()
      .click();
    await sunniva.getByRole('tab', { name: 'Access' }).click();
    await expect(sunniva.getByText('Reader by the tag “Open day”')).toBeVisible();
    const seen = sunniva.url();
    await ines.goto('/access/tags');
    await ines.getByRole('link', { name: 'Open day' }).click();
    await ines.getByRole('button', { name: 'Change …' }).click();
    const sheet = ines.getByRole('dialog', { name: 'Open day' });
    await sheet.getByLabel('In use').uncheck();
    await sheet.getByRole('button', { name: 'See the effect' }).click();
    await expect(sheet.getByText(/Sunniva Holt: discover, read on \d+ records and one place/)).toBeVisible();
    await sheet.getByRole('button', { name: 'Save' }).click();
    await expect(ines.getByText('not in use: it gives nothing')).toBeVisible();
    await sunniva.goto(seen);
    await expect(sunniva.getByText('does not exist here, or you may not see it')).toBeVisible();
  });
});
