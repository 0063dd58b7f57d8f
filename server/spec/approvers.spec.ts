import { docket, schedule, steps, type RuleDefinition } from '@key-cellar/contract';
import { chapters } from './support/chapters.js';
import { asOwner } from './support/database.js';
import { makeWorld, problemOf, ruleDefinition, statusOf, today, type World } from './support/world.js';

describe('approvals of a group', () => {
  const chapter = chapters();
  let world: World;
  beforeAll(async () => {
    world = await makeWorld();
  });
  afterAll(() => world.stop());

  const keeper = () => world.as('keeper');
  const approver = () => world.as('approver');
  const definition = (approverGroups: string[], approvals = 1): RuleDefinition =>
    ruleDefinition({ steps: [{ kind: 'destroy', after: 'P1Y', from: 'clockStart', approvals, approverGroups, noticeDays: 0 }] });
  const member = (memberId: string, groupId: string) =>
    asOwner(world.database, (client) => client.query('insert into membership (member_id, group_id) values ($1, $2)', [memberId, groupId]));

  chapter('are given by people of the groups that the rule names, directly or through another group, and by nobody else', async () => {
    await world.rule('R-STAFF', world.ids.A01, definition(['Staff']));
    await world.file('editor', { createdOn: '2024-01-10' });
    await keeper().call(steps.sweep);
    const { groups } = await keeper().call(docket.due);
    const { id } = await keeper().call(docket.propose, { body: { groupKey: groups[0]!.key, noticeDays: 0, announce: true } });
    await world.setToday('2026-09-16');
    const page = () => approver().call(docket.batch, { params: { id } });
    const decide = () => approver().call(docket.approve, { params: { id }, body: { note: '' } });
    const before = await page();
    expect([before.approverGroups, before.acts.includes('approve')]).toEqual([['Staff'], false]);
    expect(await problemOf(decide())).toContain('somebody of Staff');
    const inner = '00000000-0000-4000-8000-0000000000aa';
    await asOwner(world.database, (client) =>
      client.query(`insert into principal (id, kind, name) values ($1, 'group', 'Night staff')`, [inner]),
    );
    await member(inner, world.ids.staff);
    await member(world.ids.approver, inner);
    expect((await page()).acts).toContain('approve');
    await decide();
    expect((await page()).state).toBe('approved');
    await world.setToday(today);
  });

  chapter('are of groups that exist, and of at least one person', async () => {
    const make = (d: RuleDefinition) => keeper().call(schedule.makeRule, { body: { code: 'R-WRONG', definition: d } });
    expect(await problemOf(make(definition(['Nobody'])))).toContain('no group “Nobody”');
    expect(await statusOf(make(definition(['Staff'], 0)))).toBe(422);
    const table = 'code,title,authority,clock,steps\nR-T,T,A,created,"destroy P7Y, 2 approvals of Staff or Nobody"';
    const tried = await keeper().call(schedule.importSchedule, {
      body: { format: 'csv', data: Buffer.from(table).toString('base64'), dryRun: true },
    });
    expect(tried.errors.map((e) => [e.column, e.sentence])).toEqual([['steps', 'There is no group “Nobody” that could approve.']]);
    const csv = await (await keeper().fetch('/api/schedule/export?format=csv')).text();
    expect(csv).toContain('1 approval of Staff');
  });
});
