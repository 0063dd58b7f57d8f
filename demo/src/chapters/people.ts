import { addPrincipal, hashPassword, placeGrant, run, type UnitOfWork } from '@key-cellar/server';
import { demoPassword, groups, people, type GroupCode } from '../people.js';
import { seeded } from '../random.js';
import { type Loaded } from './scene.js';

export async function addPeople(uow: UnitOfWork): Promise<{ personId: Map<string, string>; groupId: Map<GroupCode, string> }> {
  const random = seeded(1);
  const personId = new Map<string, string>();
  const groupId = new Map<GroupCode, string>();
  for (const [code, name] of Object.entries(groups) as [GroupCode, string][]) {
    const id = random.id();
    groupId.set(code, id);
    await addPrincipal(uow, { id, kind: 'group', name });
  }
  for (const p of people) {
    const id = random.id();
    personId.set(p.login, id);
    await addPrincipal(uow, {
      id,
      kind: 'person',
      name: p.name,
      login: p.login,
      passwordHash: await hashPassword(demoPassword),
      email: `${p.login}@marrowick.example`,
      clearanceLevel: p.clearance,
      caveats: [...p.caveats],
      active: p.active ?? true,
    });
    for (const group of p.groups) {
      await run(uow, 'demo.membership', 'insert into membership (member_id, group_id) values ($1, $2)', [
        id,
        groupId.get(group as GroupCode),
      ]);
    }
  }
  return { personId, groupId };
}

export async function addGrants(uow: UnitOfWork, loaded: Omit<Loaded, 'services'>): Promise<void> {
  const { groupId, personId, placeId, rootId } = loaded;
  const grants: [string, string, string, string, { until?: string }?][] = [
    [groupId.get('keepers')!, rootId, 'keeper', 'records office'],
    [personId.get('ines')!, rootId, 'administrator', 'records manager'],
    [groupId.get('counsel')!, rootId, 'counsel', 'counsel of the Authority'],
    [personId.get('odile')!, rootId, 'auditor', 'audit plan 2026'],
    [groupId.get('staff')!, rootId, 'reader', 'everybody reads what is not set apart'],
    [personId.get('dario')!, rootId, 'approver', 'approves disposals'],
    [personId.get('dario')!, placeId.get('HAR')!, 'editor', 'harbour master'],
    [personId.get('dario')!, placeId.get('SAF')!, 'editor', 'harbour master'],
    [groupId.get('pilots')!, placeId.get('PIL')!, 'editor', 'pilotage'],
    [personId.get('lune')!, placeId.get('PIL')!, 'steward', 'head of pilotage'],
    [groupId.get('works')!, placeId.get('BER')!, 'editor', 'works'],
    [groupId.get('works')!, placeId.get('DRG')!, 'editor', 'works'],
    [groupId.get('works')!, placeId.get('ENV')!, 'editor', 'works'],
    [groupId.get('finance')!, placeId.get('FIN')!, 'editor', 'finance'],
    [groupId.get('people')!, placeId.get('PEO')!, 'editor', 'people and pay'],
    [groupId.get('keepers')!, placeId.get('PEO')!, 'keeper', 'records office'],
    [personId.get('sunniva')!, placeId.get('HAR')!, 'depositor', 'gate papers'],
    [personId.get('petra')!, placeId.get('FIN-02')!, 'borrower', 'works audit', { until: '2026-09-17' }],
  ];
  for (const [principalId, place, profile, reason, more] of grants) {
    await placeGrant(uow, { principalId, placeId: place, profile, reason, ...more });
  }
}
