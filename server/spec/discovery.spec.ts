import * as contract from '@key-cellar/contract';
import { uuidv7 } from 'uuidv7';
import { getOrMakeSet, withUnitOfWork } from '../src/index.js';
import { run } from '../src/kernel/index.js';
import { type Client, type Login, logins, makeWorld, ruleDefinition, statusOf, today, type World, revisionOf } from './support/world.js';

describe('what a person may not discover', () => {
  let world: World;
  let secret: { id: string; number: string };
  let second: { id: string };
  let open: { id: string };
  let batchId: string;
  beforeAll(async () => {
    world = await makeWorld();
    await world.rule('R-B', world.ids.B01);
    secret = await world.file('steward', { place: world.ids.B01, title: 'Zephyrine secret', createdOn: '2024-01-01' });
    second = await world.file('steward', { place: world.ids.B01, title: 'Second of it', createdOn: '2024-01-01' });
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
    // Text that is text can be copied: who may only read sees a picture of it.
    const page = await world.as('reader').fetch(`/api/records/${open.id}/pages/1`);
    expect([page.status, page.headers.get('content-type')]).toEqual([200, 'image/png']);
    for (const path of ['preview', 'content'])
      expect((await world.as('reader').fetch(`/api/records/${open.id}/${path}`)).status)
        .withContext(path)
        .toBe(403);
    expect((await world.as('editor').fetch(`/api/records/${open.id}/preview`)).status).toBe(200);
    expect((await world.as('editor').fetch(`/api/records/${open.id}/content`)).status).toBe(200);
  });

  it('a depositor sees what they deposited, and nothing else', async () => {
    const own = await world.file('depositor', { title: 'Zephyrine of the depositor' });
    const { records: listed } = await world.as('depositor').call(contract.records.list, { query: {} });
    expect(listed.map((r) => r.id)).toEqual([own.id]);
    expect((await world.as('depositor').call(contract.records.count)).count).toBe(1);
    expect(await statusOf(world.as('depositor').call(contract.records.dossier, { params: { id: open.id } }))).toBe(404);
  });

  describe('does not show through what points at it or stands beside it', () => {
    const keeper = (): Client => world.as('keeper');

    it('a name that changes: the record is found by the party, and not by what else it points at', async () => {
      await keeper().call(contract.setup.makeType, {
        body: {
          code: 'pointing',
          title: 'Pointing',
          facts: [
            { code: 'party', title: 'Party', kind: 'party', required: false },
            { code: 'see', title: 'See', kind: 'reference', required: false },
          ],
        },
      });
      const { id: party } = await keeper().call(contract.setup.makeEntity, {
        body: { kind: 'party', name: 'Old name', code: '', note: '' },
      });
      const pointing = await filePointing({ party, see: secret.id });
      const page = await keeper().call(contract.setup.entity, { params: { id: party } });
      await keeper().call(contract.setup.changeEntity, {
        params: { id: party },
        body: { name: 'Quillon brothers', code: '', note: '', revision: page.revision, retired: false },
      });
      const found = async (words: string): Promise<string[]> =>
        (await world.as('reader').call(contract.records.list, { query: { words } })).records.map((r) => r.id);
      expect(await found('quillon')).toEqual([pointing]);
      expect(await found('secret')).toEqual([]);
    });

    const filePointing = async (facts: Record<string, string>): Promise<string> => {
      const arrivalId = await keeper().upload(`${uuidv7()}.txt`, uuidv7());
      const body = {
        filings: [{ arrivalId, title: 'It points', recordType: 'pointing', placeId: world.ids.A01, createdOn: today, facts }],
      };
      const { results } = await keeper().call(contract.receiving.file, { body });
      return results[0]!.recordId!;
    };

    it('the kind of a file: it follows from its own bytes and name, whatever the same bytes were elsewhere', async () => {
      const bytes = 'Name;Sum\nOne;1\n';
      await world.as('steward').upload('ledger.csv', bytes);
      await world.as('depositor').upload('notes.txt', bytes);
      const kinds = async (login: Login): Promise<string[][]> =>
        (await world.as(login).call(contract.receiving.list)).arrivals
          .filter((a) => a.size === bytes.length)
          .map((a) => [a.fileName, a.mediaType]);
      expect(await kinds('depositor')).toEqual([['notes.txt', 'text/plain']]);
      expect(await kinds('steward')).toEqual([['ledger.csv', 'text/csv']]);
    });

    it('what sits in a container, and what has a version of a type, is counted as far as one may know', async () => {
      await keeper().call(contract.setup.makeType, { body: { code: 'boxed', title: 'Boxed', facts: [] } });
      for (const placeId of [world.ids.B01, world.ids.A01]) {
        await keeper().call(contract.receiving.describePhysical, {
          body: { title: 'Box of it', recordType: 'boxed', placeId, createdOn: today, facts: {}, containerId: world.ids.box },
        });
      }
      const items = async (login: Login): Promise<number> =>
        (await world.as(login).call(contract.receiving.containers)).containers.find((c) => c.id === world.ids.box)!.items;
      expect([await items('keeper'), await items('editor')]).toEqual([2, 1]);
      expect(await statusOf(world.as('reader').call(contract.receiving.containers))).toBe(403);
      const ofType = async (login: Login): Promise<number> =>
        (await world.as(login).call(contract.setup.type, { params: { code: 'boxed' } })).versions.reduce((sum, v) => sum + v.records, 0);
      expect([await ofType('keeper'), await ofType('editor'), await ofType('reader')]).toEqual([2, 1, 1]);
    });

    it('a value that only one record may have: that another has it is told to those who may know of that other', async () => {
      const fact = { code: 'mark', title: 'Mark', kind: 'text', required: false, unique: true } as const;
      await keeper().call(contract.setup.makeType, { body: { code: 'marked', title: 'Marked', facts: [fact] } });
      const fileMarked = async (login: Login, placeId: string): Promise<{ outcome: string; why: string }> => {
        const arrivalId = await world.as(login).upload(`${uuidv7()}.txt`, uuidv7());
        const filing = { arrivalId, title: 'Marked', recordType: 'marked', placeId, createdOn: today, facts: { mark: 'X-1' } };
        return (await world.as(login).call(contract.receiving.file, { body: { filings: [filing] } })).results[0]!;
      };
      expect((await fileMarked('steward', world.ids.B01)).outcome).toBe('done');
      expect((await fileMarked('editor', world.ids.A01)).why).toBe('Mark cannot be X-1 here. Choose another, or ask a keeper.');
      expect((await fileMarked('keeper', world.ids.A01)).why).toMatch(/^Mark X-1 is taken by B-01\S+\.$/);
    });

    it('which hold it is: that is for those who hold or audit, and for custodians; the others read that it is held', async () => {
      const counsel = world.as('counsel');
      const { id: matterId } = await counsel.call(contract.holds.makeMatter, {
        body: { code: 'M-SHH', title: 'The quiet matter', kind: 'case', note: '' },
      });
      const body = { matterId, name: 'Hushed', reason: 'pending', freeze: false, recordIds: [open.id], custodianIds: [world.ids.editor] };
      await counsel.call(contract.holds.placeHold, { body });
      const history = (login: Login) =>
        world.as(login).call(contract.ledger.entries, { query: { subject: open.id, subjectKind: 'record', limit: 100 } });
      for (const [login, knows] of [
        ['counsel', true],
        ['auditor', true],
        ['keeper', true],
        ['editor', true],
        ['reader', false],
        ['approver', false],
      ] as const) {
        const dossier = await world.as(login).call(contract.records.dossier, { params: { id: open.id } });
        expect(dossier.holds.map((h) => h.hold?.name ?? null))
          .withContext(login)
          .toEqual([knows ? 'Hushed' : null]);
        expect(dossier.why.holds.map((h) => h.since)).toEqual([today]);
        const told = JSON.stringify([dossier, login === 'editor' ? [] : await history(login)]);
        expect(/Hushed|quiet matter/.test(told))
          .withContext(login)
          .toBe(knows);
        expect((await history(login)).entries.map((e) => e.act)).toContain('held');
      }
      expect(JSON.stringify(await history('editor'))).not.toContain('Hushed');
      expect(JSON.stringify(await world.as('reader').call(contract.criteriaEndpoints.vocabulary))).not.toContain('Hushed');
    });

    it('a batch of which one owns a record: it is told of by what one may see', async () => {
      const { rows } = await world.pool.query<{ owner_id: string }>('select owner_id from record where id = $1', [second.id]);
      const owned = (by: string) => world.pool.query('update record set owner_id = $2 where id = $1', [second.id, by]);
      await owned(world.ids.reader);
      const page = await world.as('reader').call(contract.docket.batch, { params: { id: batchId } });
      expect([page.count, page.items.map((i) => i.recordId)]).toEqual([1, [second.id]]);
      expect(JSON.stringify(page)).not.toContain('Zephyrine');
      expect((await keeper().call(contract.docket.batch, { params: { id: batchId } })).count).toBe(2);
      await owned(rows[0]!.owner_id);
      expect(await statusOf(world.as('reader').call(contract.docket.batch, { params: { id: batchId } }))).toBe(404);
    });

    it('records above the clearance: no act and no preview of one counts them', async () => {
      await world.file('editor', { place: world.ids.A02 });
      const above = await world.file('editor', { place: world.ids.A02, title: 'Above' });
      await withUnitOfWork(world.pool, { id: null, name: 'Test', from: 'test', today }, async (uow) => {
        const set = await getOrMakeSet(uow, { anchorPlace: world.ids.A02, recordId: null, level: 3, caveats: [], tags: [] });
        await run(uow, 'test.above', 'update record set access_set_id = $2 where id = $1', [above.id, set]);
        uow.enter({ act: 'test', subject: { kind: 'record', id: above.id, name: above.number } });
      });
      const rule = await world.rule('R-COUNT', world.ids.A02);
      const params = { id: world.ids.A02 };
      const { count: known } = await keeper().call(contract.records.count, { query: { under: world.ids.A02 } });
      const { count } = (
        await world.pool.query(`select count(*)::int as count from record where places @> array[$1::uuid]`, [world.ids.A02])
      ).rows[0] as { count: number };
      expect(count).toBe(known + 1);
      const page = await keeper().call(contract.plan.place, { params });
      const dry = { parentId: world.ids.B, revision: page.revision, dryRun: true };
      const move = await keeper().call(contract.plan.movePlace, { params, body: dry });
      expect([move.records, move.recomputed]).toEqual([known, known]);
      const outcomes = [
        await keeper().call(contract.plan.unsetRule, { params, body: { ruleId: rule } }),
        await keeper().call(contract.plan.setRule, { params, body: { ruleId: rule } }),
        await keeper().call(contract.plan.unsetRule, { params, body: { ruleId: rule } }),
        await keeper().call(contract.schedule.placeJurisdictions, {
          params,
          body: { revision: await revisionOf(world, params.id), jurisdictions: [] },
        }),
        await keeper().call(contract.schedule.importEvents, {
          body: { csv: 'place,type,on,note\nA-02,ended,2020-01-01,\n', dryRun: false },
        }),
      ];
      expect(outcomes.map((outcome) => outcome.recomputed)).toEqual(outcomes.map(() => known));
    });

    it('holds that reach beyond what one may hold: criteria do not know their names', async () => {
      const counsel = world.as('counsel');
      const { id: matterId } = await counsel.call(contract.holds.makeMatter, {
        body: { code: 'M-VOC', title: 'V', kind: 'case', note: '' },
      });
      const inside = await world.file('editor', { place: world.ids.A02 });
      const beyond = await world.file('editor', { title: 'Beyond' });
      const place = (name: string, recordIds: string[]) =>
        counsel.call(contract.holds.placeHold, { body: { matterId, name, reason: 'a case', freeze: false, recordIds } });
      await place('Of the folder', [inside.id]);
      await place('Of both', [inside.id, beyond.id]);
      const grant = uuidv7();
      await world.pool.query(
        `insert into grant_ (id, principal_id, place_id, profile, reason) values ($1, $2, $3, 'counsel', 'for a spec')`,
        [grant, world.ids.outsider, world.ids.A02],
      );
      const names = async (login: Login): Promise<string> =>
        JSON.stringify((await world.as(login).call(contract.criteriaEndpoints.vocabulary)).holds);
      expect(await names('counsel')).toContain('Of both');
      expect(await names('outsider')).not.toContain('Of both');
      await world.pool.query('delete from grant_ where id = $1', [grant]);
      expect(await names('outsider')).toBe('[]');
    });

    it('what somebody else brought: not that it is there, nor its kind, size or pages, nor where it would go', async () => {
      const arrivalId = await world.as('steward').upload('Zephyrine.txt', 'Brought by somebody else.');
      const unknown = uuidv7();
      const filing = { title: 'x', recordType: 'note', placeId: world.ids.A01, createdOn: today, facts: { topic: 'x' } };
      // Keepers of the whole repository see what lies unfiled, whoever brought it.
      for (const login of logins.filter((one) => !['steward', 'keeper', 'deputy'].includes(one))) {
        const client = world.as(login);
        expect((await client.call(contract.receiving.list)).arrivals.map((one) => one.id)).not.toContain(arrivalId);
        for (const path of ['', '/preview', '/content', '/pages', '/pages/1', '/text']) {
          const [real, none] = await Promise.all([arrivalId, unknown].map((id) => client.fetch(`/api/arrivals/${id}${path}`)));
          expect([real!.status, await real!.text()])
            .withContext(`${login} ${path}`)
            .toEqual([none!.status, await none!.text()]);
        }
        const said = async (id: string): Promise<string> => {
          const answer = await client
            .call(contract.receiving.preview, { body: { filings: [{ arrivalId: id, ...filing }] } })
            .catch((error: Error) => error.message);
          return JSON.stringify(answer).replaceAll(id, 'ID');
        };
        expect(await said(arrivalId))
          .withContext(login)
          .toBe(await said(unknown));
        const filed = async (id: string): Promise<string> => {
          const { results } = await client.call(contract.receiving.file, { body: { filings: [{ arrivalId: id, ...filing }] } });
          return JSON.stringify(results).replaceAll(id, 'ID');
        };
        expect(await filed(arrivalId))
          .withContext(login)
          .toBe(await filed(unknown));
        expect(await statusOf(client.call(contract.receiving.discard, { params: { id: arrivalId } }))).toBe(404);
      }
      expect((await world.as('steward').call(contract.receiving.list)).arrivals.map((one) => one.id)).toContain(arrivalId);
    });

    it('work that somebody else began', async () => {
      const { jobId } = await keeper().call(contract.steps.recompute, { body: { dryRun: true } });
      expect(await statusOf(world.as('editor').call(contract.schedule.job, { params: { id: jobId } }))).toBe(404);
      expect((await world.as('editor').fetch(`/api/jobs/${jobId}/events`)).status).toBe(404);
    });
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
