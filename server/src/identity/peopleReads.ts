import type { GroupLine, PersonLine, people } from '@key-cellar/contract';
import { message } from '@key-cellar/words';
import { notFound, type Db, type ReadsOf, type Services } from '../kernel/index.js';
import { requireLookingAfterPeople, requireSettingUp } from './person.js';
import { readSettings, sessionLimits } from './settingStore.js';
import * as arranged from './peopleStore.js';
import { tokenHash } from './passwords.js';

/** A person as whoever sets up sees them. */
export const personLine = (p: arranged.PersonRow, groups: readonly arranged.MemberRow[]): PersonLine => ({
  id: p.id,
  name: p.name,
  login: p.login,
  email: p.email,
  clearance: { level: p.clearance_level, caveats: p.clearance_caveats },
  active: p.active,
  groups: groups.filter((m) => m.id === p.id).map((m) => ({ id: m.group_id, name: m.group_name })),
  providers: p.providers,
  secondFactor: p.second_factor,
  hasPassword: p.has_password,
  invitedUntil: p.invited_until?.toISOString() ?? null,
  lastSeen: p.last_seen?.toISOString() ?? null,
  revision: p.revision,
});

/** All people and groups with their members, as whoever looks after them sees them. */
export async function peopleLines(db: Db): Promise<{ people: PersonLine[]; groups: GroupLine[] }> {
  const [found, groups, members] = [await arranged.arrangedPeople(db), await arranged.arrangedGroups(db), await arranged.members(db)];
  const byMember = new Map<string, arranged.MemberRow[]>();
  const byGroup = new Map<string, arranged.MemberRow[]>();
  for (const m of members) {
    byMember.set(m.id, [...(byMember.get(m.id) ?? []), m]);
    byGroup.set(m.group_id, [...(byGroup.get(m.group_id) ?? []), m]);
  }
  return {
    people: found.map((p) => personLine(p, byMember.get(p.id) ?? [])),
    groups: groups.map(({ second_factor: secondFactor, ...g }): GroupLine => ({
      ...g,
      secondFactor,
      members: (byGroup.get(g.id) ?? []).map(({ id, name, kind }) => ({ id, name, kind })),
    })),
  };
}

export const peopleReads: Pick<ReadsOf<typeof people, Services>, 'list' | 'invitation' | 'sessionLimits'> = {
  list: async ({ services, access }) => {
    await requireLookingAfterPeople(services, access);
    return peopleLines(services.pool);
  },
  sessionLimits: async ({ services, access }) => {
    await requireSettingUp(services, access);
    return sessionLimits(services.pool, services.config.idleMinutes);
  },
  invitation: async ({ services: { pool }, body }) => {
    const found = await arranged.invitation(pool, tokenHash(body.token));
    if (!found) throw notFound(message('thing.link'));
    const { repository } = await readSettings(pool);
    return { repository, name: found.name, login: found.login };
  },
};
