import { choose, expect, signedIn, test } from './support/app.js';

test.use({ repository: 'demo of identities' });

const password = 'correct staple, twice';

test('somebody joins by a link, is given access and moves with the effect seen first, and leaves with what was theirs handed over', async ({
  browser,
  app,
}) => {
  const ines = await signedIn(browser, app, 'ines');
  let link = '';

  await test.step('a person is added, with a link to begin with', async () => {
    await ines.goto('/setup/people');
    await expect(ines.getByRole('heading', { name: 'People · 16' })).toBeVisible();
    await ines.keyboard.press('n');
    await ines.getByLabel('Name', { exact: true }).fill('Wren Calloway');
    await ines.getByLabel('Login').fill('ines');
    await ines.getByRole('dialog').getByRole('button', { name: 'Add', exact: true }).click();
    await expect(ines.getByText('Someone signs in as ines already.').first()).toBeVisible();
    await ines.getByLabel('Login').fill('wren');
    await ines.getByRole('dialog').getByRole('button', { name: 'Add', exact: true }).click();
    await expect(ines.getByRole('heading', { name: 'Wren Calloway' })).toBeVisible();
    link = await ines.getByLabel('Link').inputValue();
    // It is shown once.
    await ines.reload();
    await expect(ines.getByRole('heading', { name: 'Wren Calloway' })).toBeVisible();
    await expect(ines.getByLabel('Link')).toHaveCount(0);
  });

  const context = await browser.newContext({ baseURL: app.url });
  const wren = await context.newPage();

  await test.step('whoever opens it chooses the password, once', async () => {
    await wren.goto(link);
    await expect(wren.getByRole('heading', { name: 'Welcome, Wren Calloway' })).toBeVisible();
    await wren.getByLabel('New password').fill('calloway at the harbour');
    await wren.keyboard.press('Enter');
    await expect(wren.getByText('must not contain a name')).toBeVisible();
    await wren.getByLabel('New password').fill(password);
    await wren.keyboard.press('Enter');
    await expect(wren).toHaveURL(/\/today$/);
    await wren.goto(link);
    await expect(wren.getByRole('heading', { name: 'This link does not work any more' })).toBeVisible();
  });

  await test.step('access is given, and counts at once in the session that is open', async () => {
    const found = await ines.request.get('/api/places-by-code?code=BER-01');
    const { places } = (await found.json()) as { places: { id: string }[] };
    const place = `/plan/${places[0]!.id}`;
    await wren.goto(place);
    await expect(wren.getByRole('heading', { name: /BER-01/ })).toHaveCount(0);
    await ines.goto(place);
    await ines.getByText('Arrangement').click();
    await ines.getByRole('button', { name: 'give access' }).click();
    await choose(ines, 'Person or group', 'Wren Calloway');
    await choose(ines, 'As', 'Editor');
    await ines.getByLabel('Reason').fill('keeps the leases');
    await ines.getByRole('button', { name: 'See the effect' }).click();
    await expect(ines.getByText(/Wren Calloway: .* on 110 records and 19 places/)).toBeVisible();
    await ines.getByRole('button', { name: 'Give access', exact: true }).click();
    await expect(ines.getByRole('row', { name: /Wren Calloway Editor here/ })).toBeVisible();
    await wren.goto(place);
    await expect(wren.getByRole('heading', { name: /BER-01/ })).toBeVisible();
  });

  /** Puts them into groups, or takes them out of those that they are in. */
  const inGroups = async (...names: string[]): Promise<void> => {
    await ines.locator('kc-choices').click();
    for (const name of names) await ines.getByRole('option', { name, exact: true }).click();
    await ines.keyboard.press('Escape');
  };

  await test.step('a group is made, and who is in a group may do what it may', async () => {
    await ines.goto('/setup/people');
    await ines.getByRole('button', { name: 'Add a group' }).click();
    await ines.getByLabel('Name', { exact: true }).fill('Lease desk');
    await ines.getByRole('dialog').getByRole('button', { name: 'Add a group' }).click();
    await expect(ines.getByRole('button', { name: 'Lease desk' })).toBeVisible();
    await ines.getByRole('link', { name: 'Wren Calloway' }).click();
    await inGroups('Lease desk', 'Pilotage');
    await ines.getByRole('button', { name: 'See the effect' }).click();
    await expect(ines.getByText(/Wren Calloway: .* on \d+ records/)).toBeVisible();
    await ines.getByRole('button', { name: 'Save' }).click();
    await expect(ines.getByText('Saved.')).toBeVisible();
    await wren.goto('/find?words=pilotage');
    await expect(wren.getByRole('row', { name: /PIL-/ }).first()).toBeVisible();
  });

  await test.step('they move: what they lose and gain is seen first, and counts at once in the session that is open', async () => {
    await inGroups('Pilotage', 'Works and dredging');
    await expect(ines.getByRole('button', { name: 'Save' })).toHaveCount(0);
    await ines.getByRole('button', { name: 'See the effect' }).click();
    await expect(ines.getByText('Gain access', { exact: true })).toBeVisible();
    await expect(ines.getByText('Lose access', { exact: true })).toBeVisible();
    // Until it is saved nothing is different.
    await wren.reload();
    await expect(wren.getByRole('row', { name: /PIL-/ }).first()).toBeVisible();
    await ines.getByRole('button', { name: 'Save' }).click();
    await expect(ines.getByText('Lose access', { exact: true })).toHaveCount(0);
    await wren.reload();
    await expect(wren.getByRole('row', { name: /PIL-/ })).toHaveCount(0);
    await wren.goto('/find?words=dredging');
    await expect(wren.getByRole('row', { name: /DRG-/ }).first()).toBeVisible();
  });

  await test.step('their own password is theirs to change', async () => {
    await wren.getByRole('button', { name: /Wren Calloway/ }).click();
    await wren.getByRole('button', { name: 'Change your password' }).click();
    await wren.getByLabel('Password until now').fill('not this one');
    await wren.getByLabel('New password').fill('another staple, thrice');
    await wren.getByRole('button', { name: 'Change it' }).click();
    await expect(wren.getByText('is not your password')).toBeVisible();
    await wren.getByLabel('Password until now').fill(password);
    await wren.getByRole('button', { name: 'Change it' }).click();
    await expect(wren.getByText('Your password is changed.')).toBeVisible();
  });

  await test.step('they leave: signed out, and what was theirs goes to somebody', async () => {
    await ines.reload();
    await ines.getByRole('button', { name: 'Let go …' }).click();
    await choose(ines, 'What they own goes to', 'Lune Abara');
    await ines.getByText('and their grant as well').click();
    await ines.getByLabel('Reason').fill('moves to the museum');
    await ines.getByRole('dialog').getByRole('button', { name: 'Let go', exact: true }).click();
    await expect(ines.getByText(/^Let go\. Sessions ended: 1; .* grants handed over: 1\.$/)).toBeVisible();
    await wren.goto('/today');
    await expect(wren).toHaveURL(/sign-in/);
    await ines.getByRole('button', { name: 'Bring back' }).click();
    await expect(ines.getByText('Brought back, without access.')).toBeVisible();
  });
});

test('a newcomer signs in by the directory, a program by a token, and a review confirms what both were given', async ({ browser, app }) => {
  const ines = await signedIn(browser, app, 'ines');
  const context = await browser.newContext({ baseURL: app.url });
  const wenna = await context.newPage();

  await test.step('whom the directory knows is known here, in the groups that it says', async () => {
    await wenna.goto('/sign-in?back=/messages');
    await wenna.getByRole('button', { name: 'Sign in with Marrowick directory' }).click();
    await wenna.getByRole('button', { name: 'Cancel' }).click();
    await expect(wenna.getByText('You did not sign in at Marrowick directory.')).toBeVisible();
    // What was sent along is not left in the address.
    expect(new URL(wenna.url()).search).toBe('');
    await wenna.getByRole('link', { name: 'Sign in', exact: true }).click();
    await wenna.goto('/sign-in?back=/messages');
    await wenna.getByRole('button', { name: 'Sign in with Marrowick directory' }).click();
    await wenna.getByRole('button', { name: /Wenna Sorrell/ }).click();
    await expect(wenna).toHaveURL(/\/messages$/);
    await ines.goto('/setup/people');
    await ines.getByRole('link', { name: 'Wenna Sorrell' }).click();
    await expect(ines.getByText('Pilotage', { exact: true })).toBeVisible();
    await expect(ines.getByRole('heading', { name: 'Signs in with' })).toBeVisible();
  });

  await test.step('a program gets a token, and what it was granted', async () => {
    await ines.goto('/setup/providers');
    await ines.getByRole('button', { name: 'Add a program' }).click();
    await ines.getByLabel('Name', { exact: true }).fill('Gate scanner');
    await ines.getByRole('dialog').getByRole('button', { name: 'Add a program' }).click();
    await ines.getByRole('button', { name: 'Make a token …' }).click();
    await ines.getByLabel('What it is used for').fill('looks up the plan');
    await ines.getByRole('checkbox', { name: 'plan.read' }).check();
    await ines.getByRole('button', { name: 'Make it' }).click();
    const token = await ines.getByLabel('Link').inputValue();
    await ines.getByRole('button', { name: 'Done' }).click();
    await expect(ines.getByRole('row', { name: /Gate scanner looks up the plan/ })).toContainText('never');
    const program = await browser.newContext({ baseURL: app.url, extraHTTPHeaders: { authorization: `Bearer ${token}` } });
    expect((await program.request.get('/api/plan')).status()).toBe(200);
    expect((await program.request.get('/api/me')).status()).toBe(403);
    await ines.getByRole('button', { name: 'End the token looks up the plan' }).click();
    await expect(ines.getByText('No token that works: it can do nothing.')).toBeVisible();
    expect((await program.request.get('/api/plan')).status()).toBe(401);
    await program.close();
  });

  await test.step('a review confirms what is needed, and ends what is not', async () => {
    await ines.goto('/access/reviews');
    await ines.getByRole('button', { name: 'Begin a review …' }).click();
    await ines.getByLabel('Name', { exact: true }).fill('Autumn round');
    await choose(ines, 'Over what is given in', /Marrowick Harbour Authority/);
    await ines.getByRole('button', { name: 'Begin', exact: true }).click();
    await expect(ines.getByRole('heading', { name: 'Autumn round' })).toBeVisible();
    await expect(ines.getByRole('checkbox', { name: /^Mark Ines/ })).toHaveCount(0);
    await ines.getByRole('checkbox', { name: 'Mark Counsel as Counsel' }).check();
    await ines.getByRole('button', { name: 'Confirm', exact: true }).click();
    await expect(ines.getByRole('row', { name: /Counsel Counsel/ })).toContainText('confirmed');
    await ines.getByRole('checkbox', { name: 'Mark Sunniva Holt as Depositor' }).check();
    await ines.getByRole('button', { name: 'End …' }).click();
    await ines.getByLabel('Reason').fill('the gate has a scanner now');
    await ines.getByRole('button', { name: 'See the effect' }).click();
    await expect(ines.getByText(/Sunniva Holt: deposit/)).toBeVisible();
    await ines.getByRole('button', { name: 'End grants' }).click();
    await expect(ines.getByRole('row', { name: /Sunniva Holt Depositor/ })).toContainText('the gate has a scanner now');
  });
  await context.close();
});
