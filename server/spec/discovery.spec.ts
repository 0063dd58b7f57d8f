import * as contract from '@key-cellar/contract';
import { uuidv7 } from 'uuidv7';
import { type Client, type Login, logins, makeWorld, ruleDefinition, statusOf, today, type World } from './support/world.js';

describe('what a person may not discover', () => {
  let world: World;
  let secret: { id: string; number: string };
  let open: { id: string };
  let batchId: string;
  beforeAll(async () => {
    world = await makeWorld();
    await world.rule('R-B', world.ids.B01);
    secret = await world.file('steward', { place: world.ids.B01, title: 'Zephyrine secret', createdOn: '2024-01-01' });
    open = await world.file('editor', { title: 'Zephyrine open' });
    await world.as('keeper').call(contract.steps.sweep);
    const { groups } = await world.as('keeper').call(contract.docket.due);
    batchId = (
      await world.as('keeper').call(contract.docket.propose, { body: { groupKey: groups[0]!.key, noticeDays: 30, announce: true } })
    ).id;
  });
  afterAll(() => world.stop());

  /** Who may discover the record in the place that stands alone. */
  const insiders: Login[] = ['keeper', 'deputy', 'auditor', 'steward'];
  const outsiders = logins.filter((l) => !insiders.includes(l));

  for (const login of outsiders) {
    it(`does not show to ${login}: not in lists, counts, racks, suggestions, nor as a difference of answers`, async () => {
      const client = world.as(login);
      const { records: listed } = await client.call(contract.records.list, { query: { words: 'zephyrine', limit: 100 } });
      expect(listed.map((r) => r.id)).not.toContain(secret.id);
      const { count } = await client.call(contract.records.count, { query: { words: 'zephyrine' } });
      expect(count).toBe(listed.length);
      expect((await client.call(contract.records.ids, { query: {} })).ids).not.toContain(secret.id);
      expect(JSON.stringify(await client.call(contract.plan.rack))).not.toContain(world.ids.B01);
      expect(JSON.stringify(await client.call(contract.plan.outline, { query: { folders: true } }))).not.toContain('B-01');
      expect(JSON.stringify(await client.call(contract.reports.ask, { query: { text: 'zephyrine' } }))).not.toContain('secret');
      expect(JSON.stringify(await client.call(contract.reports.ask, { query: { text: 'B-01' } }))).not.toContain('B-01');
      expect(JSON.stringify(await client.call(contract.reports.ask, { query: { text: 'D-2026' } }))).not.toContain(batchId);
      expect(JSON.stringify(await client.call(contract.docket.batches))).not.toContain(batchId);
      expect(JSON.stringify(await client.call(contract.docket.due))).not.toContain('B-01');
      expect(JSON.stringify(await client.call(contract.schedule.rules))).not.toContain('B-01');
      expect(JSON.stringify(await client.call(contract.criteriaEndpoints.vocabulary))).not.toContain('B-01');
      expect(JSON.stringify(await client.call(contract.schedule.criteriaRules))).not.toContain('B-01');
      const unknown = uuidv7();
      for (const path of [
        '/records/ID',
        '/records/ID/preview',
        '/records/ID/content',
        '/records/ID/pages',
        '/records/ID/pages/1',
        '/batches/ID',
        '/ledger?subject=ID&subjectKind=record',
        '/records?under=PLACE',
        '/places/PLACE',
      ]) {
        const real = await client.fetch(
          `/api${path.replace('ID', path.includes('batches') ? batchId : secret.id).replace('PLACE', world.ids.B01)}`,
        );
        const none = await client.fetch(`/api${path.replace(/ID|PLACE/, unknown)}`);
        if (path.includes('under')) {
          expect(await real.text()).not.toContain('Zephyrine');
          continue;
        }
        expect([real.status, await real.text()])
          .withContext(`${login} ${path}`)
          .toEqual([none.status, await none.text()]);
      }
      const declared = await client.call(contract.records.declare, { body: { ids: [secret.id, unknown] } });
      expect(declared.results.map((r) => [r.name, r.why])).toEqual(Array(2).fill([declared.results[0]!.name, declared.results[0]!.why]));
    });
  }

  it('shows to those who may', async () => {
    for (const login of insiders) {
      expect((await world.as(login).call(contract.records.dossier, { params: { id: secret.id } })).number).toBe(secret.number);
    }
  });

  it('reading never gives copying out', async () => {
    expect((await world.as('reader').fetch(`/api/records/${open.id}/preview`)).status).toBe(200);
    expect((await world.as('reader').fetch(`/api/records/${open.id}/content`)).status).toBe(403);
    expect((await world.as('editor').fetch(`/api/records/${open.id}/content`)).status).toBe(200);
  });

  it('a depositor sees what they deposited, and nothing else', async () => {
    const own = await world.file('depositor', { title: 'Zephyrine of the depositor' });
    const { records: listed } = await world.as('depositor').call(contract.records.list, { query: {} });
    expect(listed.map((r) => r.id)).toEqual([own.id]);
    expect((await world.as('depositor').call(contract.records.count)).count).toBe(1);
    expect(await statusOf(world.as('depositor').call(contract.records.dossier, { params: { id: open.id } }))).toBe(404);
  });

  /** Acts that need a right, by who has it: everybody else gets 403 or 404, never 200. */
  const matrix: [string, Login[], (client: Client) => Promise<unknown>][] = [
    [
      'edit facts',
      ['keeper', 'deputy', 'editor', 'steward'],
      (c) =>
        c.call(contract.records.editFacts, { params: { id: open.id }, body: { revision: 999, title: 'x', createdOn: today, facts: {} } }),
    ],
    [
      'make a series',
      ['keeper', 'deputy'],
      (c) => c.call(contract.plan.makePlace, { body: { parentId: world.ids.A, kind: 'series', code: 'A-01', title: 'x', note: '' } }),
    ],
    [
      'make a folder',
      ['keeper', 'deputy', 'editor', 'steward'],
      (c) => c.call(contract.plan.makePlace, { body: { parentId: world.ids.A01, kind: 'folder', code: 'X-1', title: 'x', note: '' } }),
    ],
    [
      'set a rule',
      ['keeper', 'deputy'],
      (c) => c.call(contract.plan.setRule, { params: { id: world.ids.A01 }, body: { ruleId: uuidv7() } }),
    ],
    [
      'make a rule',
      ['keeper', 'deputy'],
      (c) => c.call(contract.schedule.makeRule, { body: { code: 'R-B', definition: ruleDefinition() } }),
    ],
    [
      'open a matter',
      ['keeper', 'deputy', 'counsel'],
      (c) => c.call(contract.holds.makeMatter, { body: { code: `X${uuidv7()}`.slice(0, 30), title: 'x', kind: 'case', note: '' } }),
    ],
    ['see matters', ['keeper', 'deputy', 'counsel', 'auditor'], (c) => c.call(contract.holds.matters)],
    [
      'hold by criteria',
      ['keeper', 'deputy', 'counsel'],
      (c) => c.call(contract.holds.placeHold, { body: { matterId: uuidv7(), name: 'x', reason: 'because', criteria: { op: 'held' } } }),
    ],
    ['sweep', ['keeper', 'deputy'], (c) => c.call(contract.steps.sweep)],
    ['see what the sweep would do', ['keeper', 'deputy'], (c) => c.call(contract.steps.preview)],
    ['recompute', ['keeper', 'deputy'], (c) => c.call(contract.steps.recompute, { body: { dryRun: true } })],
    ['approve', ['keeper', 'deputy'], (c) => c.call(contract.docket.approve, { params: { id: batchId }, body: { note: '' } })],
    ['execute', ['keeper', 'deputy'], (c) => c.call(contract.docket.execute, { params: { id: batchId } })],
    ['audit', ['keeper', 'deputy', 'auditor'], (c) => c.call(contract.ledger.entries)],
    ['seal', ['keeper', 'deputy', 'auditor'], (c) => c.call(contract.ledger.seal)],
    ['move the clock', ['keeper', 'deputy'], (c) => c.call(contract.identity.moveClock, { body: { to: '2000-01-01' } })],
  ];
  for (const [name, allowed, act] of matrix) {
    it(`${name}: only ${allowed.join(', ')}`, async () => {
      for (const login of logins) {
        const status = await statusOf(act(world.as(login)));
        // Who has the right gets past it, to whatever the deliberately wrong input comes to.
        if (allowed.includes(login)) expect([403, 401]).withContext(`${login} ${name}`).not.toContain(status);
        else expect([403, 404]).withContext(`${login} ${name}`).toContain(status);
      }
    });
  }
});
