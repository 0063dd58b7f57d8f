import { federation, people, programs, records, reports, setup, access } from '@key-cellar/contract';
import { chapters } from './support/chapters.js';
import { asOwner } from './support/database.js';
import { letSetUp, makeWorld, problemOf, statusOf, today, type Login, type World } from './support/world.js';

/** Parts of setting up that were given away: what each desk does, and that none of it is a way to what its people do not have. */
describe('desks', () => {
  const chapter = chapters();
  let world: World;
  const ids: Record<string, string> = {};
  const admin = () => world.as('keeper');
  const desk = () => world.as('reader');
  const details = (login: string, more: object = {}) => ({
    ...{ name: `Person ${login}`, login, email: `${login}@example.org`, clearance: { level: 0, caveats: [] as string[] } },
    ...{ groupIds: [] as string[], ...more },
  });
  const give = (as: Login, placeId: string, principalId: string, profile: string) =>
    world.as(as).call(people.giveGrant, {
      params: { id: placeId },
      body: { principalId, profile, from: null, until: null, reason: 'given away', dryRun: false },
    });
  const person = async (id: string) => (await admin().call(people.list)).people.find((p) => p.id === id)!;
  /** Changes a person as the desk, from what is there. */
  const change = async (id: string, more: object): Promise<unknown> => {
    const { name, login, email, clearance, groups, revision } = await person(id);
    const was = { name, login, email, clearance, groupIds: groups.map((g) => g.id), revision };
    return desk().call(people.change, { params: { id }, body: { ...was, ...more } });
  };
  const letGo = (id: string, more: object = {}) =>
    desk().call(people.letGo, { params: { id }, body: { reason: 'left', heirId: null, ...more } });
  const group = async (id: string) => (await admin().call(people.list)).groups.find((g) => g.id === id)!;
  const changeGroup = async (id: string, more: object): Promise<unknown> => {
    const { name, active, members, secondFactor, revision } = await group(id);
    const was = { name, active, memberIds: members.map((m) => m.id), secondFactor, revision };
    return desk().call(people.changeGroup, { params: { id }, body: { ...was, ...more } });
  };

  beforeAll(async () => {
    world = await makeWorld();
    await letSetUp(world);
    const { root } = world.ids;
    for (const [login, profile] of [
      ['reader', 'peopleDesk'],
      ['editor', 'connectionsDesk'],
      ['steward', 'formsDesk'],
    ] as const)
      await give('keeper', root, world.ids[login], profile);
    ({ id: ids['readers']! } = await admin().call(people.makeGroup, { body: { name: 'Readers of B', memberIds: [] } }));
    ({ id: ids['bare']! } = await admin().call(people.makeGroup, { body: { name: 'Lunch', memberIds: [], secondFactor: true } }));
    await give('keeper', world.ids.B, ids['readers']!, 'borrower');
  });
  afterAll(() => world.stop());

  chapter('are given by administrators only, and count on the whole repository only', async () => {
    const { A, root, auditor } = world.ids;
    await asOwner(world.database, (client) =>
      client.query(`delete from grant_ where profile = 'administrator' and principal_id = $1`, [world.ids.deputy]),
    );
    expect(await problemOf(give('deputy', root, auditor, 'peopleDesk'))).toContain('is more than you may do here');
    await give('keeper', A, auditor, 'peopleDesk');
    expect(await statusOf(world.as('auditor').call(people.list))).toBe(403);
  });

  chapter('each does its part, and none of the others', async () => {
    const tries: Record<string, (as: Login) => Promise<unknown>> = {
      people: (as) => world.as(as).call(people.list),
      programs: (as) => world.as(as).call(programs.list),
      mail: (as) => world.as(as).call(people.mail),
      outside: (as) => world.as(as).call(reports.outside),
      types: (as) => world.as(as).call(setup.makeType, { body: { code: `t${as}`, title: `Type ${as}`, facts: [] } }),
      numbering: (as) =>
        world.as(as).call(records.makeNumbering, { body: { title: `N ${as}`, pattern: `${as}-{nnnn}`, per: [], gapless: false } }),
      providers: (as) => world.as(as).call(federation.providers),
      sessions: (as) => world.as(as).call(people.limitSessions, { body: { idleMinutes: 30, hours: 8 } }),
      profiles: (as) => world.as(as).call(access.makeProfile, { body: { title: `P ${as}`, rights: ['discover'], ownOnly: false } }),
    };
    const may: Partial<Record<Login, readonly string[]>> = {
      reader: ['people'],
      editor: ['programs', 'mail', 'outside'],
      steward: ['types', 'numbering'],
      auditor: [],
    };
    for (const [as, parts] of Object.entries(may))
      for (const [part, does] of Object.entries(tries))
        expect(await statusOf(does(as as Login)))
          .withContext(`${as} ${part}`)
          .toBe(parts.includes(part) ? 200 : 403);
  });

  chapter('a people desk has somebody join, move and leave', async () => {
    const { id, invitation } = await desk().call(people.make, { body: { ...details('wren'), invite: true } });
    ids['wren'] = id;
    expect(invitation!.token).not.toBeNull();
    await change(id, { name: 'Wren Ashby', email: 'wren.ashby@example.org', groupIds: [ids['bare']!] });
    expect((await person(id)).groups.map((g) => g.name)).toEqual(['Lunch']);
    await letGo(id);
    expect((await person(id)).active).toBeFalse();
    await desk().call(people.bringBack, { params: { id } });
  });

  chapter('puts nobody into a group that was given more than they may do, now or later', async () => {
    const { wren, readers, bare } = ids as Record<'wren' | 'readers' | 'bare', string>;
    const beyond = /“?Readers of B”? was given more than you may do/;
    for (const tried of [
      () => change(wren, { groupIds: [readers] }),
      () => desk().call(people.make, { body: { ...details('finch', { groupIds: [readers] }), invite: false } }),
      () => changeGroup(readers, { memberIds: [world.ids.reader] }),
      () => changeGroup(readers, { active: false }),
    ])
      expect(await problemOf(tried())).toMatch(beyond);
    // A group in a group that was given more, and a grant that has not begun.
    await admin().call(people.changeGroup, {
      params: { id: readers },
      body: { name: 'Readers of B', active: true, memberIds: [bare], revision: (await group(readers)).revision },
    });
    expect(await problemOf(changeGroup(bare, { memberIds: [wren] }))).toMatch(beyond);
    await admin().call(people.changeGroup, {
      params: { id: readers },
      body: { name: 'Readers of B', active: true, memberIds: [], revision: (await group(readers)).revision },
    });
    await changeGroup(bare, { memberIds: [wren] });
    const later = await admin().call(people.giveGrant, {
      params: { id: world.ids.A },
      body: { principalId: bare, profile: 'borrower', from: '2029-01-01', until: null, reason: 'next year', dryRun: false },
    });
    expect(await problemOf(changeGroup(bare, { memberIds: [wren, world.ids.reader] }))).toMatch(/Lunch/);
    await admin().call(people.endGrant, { params: { id: later.id }, body: { reason: 'not after all', dryRun: false } });
    // What everybody is in, and what asks for a second factor, is not theirs to loosen.
    const everyone = (await admin().call(people.list)).groups.find((g) => g.everyone)!;
    expect(await statusOf(changeGroup(everyone.id, { name: 'All' }))).toBe(403);
    expect(await statusOf(changeGroup(bare, { secondFactor: false }))).toBe(403);
    await changeGroup(bare, { name: 'Lunch at noon' });
  });

  chapter('becomes nobody who was given more, by their address or by a link', async () => {
    const { id } = await admin().call(people.make, { body: { ...details('siskin', { groupIds: [ids['readers']!] }), invite: false } });
    expect(await problemOf(change(id, { email: 'reader@example.org' }))).toContain('was given more');
    expect(await problemOf(desk().call(people.invite, { params: { id } }))).toContain('was given more');
    expect(await problemOf(letGo(id, { heirId: world.ids.reader, grantsToo: true }))).toContain('was given more');
    // By mail to their own address it goes, and their name and end is the desk’s work.
    expect(await statusOf(desk().call(people.invite, { params: { id }, body: { byMail: true } }))).not.toBe(403);
    await change(id, { name: 'Siskin Ashby' });
    await letGo(id);
  });

  chapter('nor gives a clearance above their own, nor touches who commands more', async () => {
    const { wren } = ids as Record<'wren', string>;
    const own = (await person(world.ids.reader)).clearance.level;
    expect(await problemOf(change(wren, { clearance: { level: own + 1, caveats: [] } }))).toContain('above your own');
    expect(await problemOf(change(wren, { clearance: { level: own, caveats: ['PILOTS'] } }))).toContain('above your own');
    expect(
      await problemOf(desk().call(people.make, { body: { ...details('tern', { clearance: { level: 9, caveats: [] } }), invite: false } })),
    ).toContain('above your own');
    await change(wren, { clearance: { level: own, caveats: [] } });
    for (const commander of ['keeper', 'auditor'] as const) {
      const id = world.ids[commander];
      await give('keeper', world.ids.root, id, commander);
      for (const tried of [
        () => change(id, { name: 'Somebody else' }),
        () => letGo(id),
        () => desk().call(people.invite, { params: { id }, body: { byMail: true } }),
        () => desk().call(people.endSessions, { params: { id } }),
        () => desk().call(people.bringBack, { params: { id } }),
        () => desk().call(people.resetSecond, { params: { id }, body: { reason: 'lost' } }),
      ])
        expect(await problemOf(tried())).toContain('may do more on the whole repository than you');
    }
    // Of an administrator all of it goes, by another.
    expect((await person(world.ids.keeper)).active).toBeTrue();
  });

  chapter('a connections desk makes no token of a program that was given more', async () => {
    const connections = world.as('editor');
    const own = (await person(world.ids.editor)).clearance.level;
    expect(
      await problemOf(connections.call(programs.make, { body: { name: 'Spy', clearance: { level: own + 1, caveats: [] } } })),
    ).toContain('above your own');
    const { id } = await connections.call(programs.make, { body: { name: 'Scanner', clearance: { level: 0, caveats: [] } } });
    const token = () =>
      connections.call(programs.makeToken, { params: { id }, body: { name: 'one', scopes: ['records.read'], until: today } });
    await token();
    const [line] = (await connections.call(programs.list)).programs.filter((p) => p.id === id);
    expect(
      await problemOf(
        connections.call(programs.change, {
          params: { id },
          body: { name: 'Scanner', active: true, revision: line!.revision, clearance: { level: own + 1, caveats: [] } },
        }),
      ),
    ).toContain('above your own');
    await give('keeper', world.ids.root, id, 'keeper');
    expect(await problemOf(token())).toContain('Scanner was given more than you may do');
  });
});
