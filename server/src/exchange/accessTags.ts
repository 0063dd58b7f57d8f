import type { ItemOf } from '@key-cellar/contract';
import { grantsById, loadProfiles, placeGrant, takeGrantBack, tagSubject, writeTag, type GrantRow } from '../access/index.js';
import { message } from '@key-cellar/words';
import { wrong, type Bringing, type Change, type Section } from './bringing.js';
import * as store from './store.js';

type Item = ItemOf<'accessTags'>;
type Given = Item['grants'][number];

const from = 'from a table or package';
const textOf = ({ principal, profile, from: first, until, reason }: Given): string =>
  JSON.stringify([principal, profile, first, until, reason]);
const givenOf = (g: GrantRow): Given => ({
  ...{ principal: g.principal_id, profile: g.profile, from: g.from_on, until: g.until_on, reason: g.reason },
});

/** What stands in a package is given on the tag, and nothing else but to programs, which are in no package. */
async function writeGrants(b: Bringing, { id, after }: Change<Item>): Promise<void> {
  const wanted = new Map(after.grants.map((g) => [textOf(g), g]));
  for (const grant of await grantsById(b.uow, await store.grantsOnTag(b.uow, id)))
    if (!wanted.delete(textOf(givenOf(grant)))) await takeGrantBack(b.uow, grant, from);
  for (const { principal: principalId, profile, from: first, until, reason } of wanted.values()) {
    const days = { ...(first === null ? {} : { from: first }), ...(until === null ? {} : { until }) };
    await placeGrant(b.uow, { principalId, profile, reason, ...days, tag: { id, name: after.name } });
  }
}

/** Access tags with what is given by them. They reach whatever carries them, so whoever sets up brings them. */
export const accessTags: Section<'accessTags'> = {
  name: 'accessTags',
  key: ['name'],
  table: 'access_tag',
  nameOf: (item) => String(item['name'] ?? '').toLowerCase(),
  reference: (item) => ({ refers: 'tag', to: String(item['name'] ?? '') }),
  identity: ['name'],
  all: async (db) => (await store.accessTags(db)).map(({ id, ...item }) => ({ id, item })),
  async write(b, changes) {
    if (changes.length === 0) return;
    const profiles = await loadProfiles(b.uow);
    for (const change of changes) {
      const { id, before, after } = change;
      if (!b.may('setUp')) {
        wrong(b, 'accessTags', change, '', message('exchange.tagsNeedSetUp'));
        continue;
      }
      const ends = after.grants.some((g) => g.from !== null && g.until !== null && g.until < g.from);
      if (ends) wrong(b, 'accessTags', change, 'grants', message('exchange.grantEnds'));
      const known = after.grants.every((g) => profiles.has(g.profile));
      if (!known) wrong(b, 'accessTags', change, 'grants', message('plan.sound.noProfile'));
      if (ends || !known) continue;
      const { name, note, active } = after;
      await writeTag(b.uow, { id, name, note, active, madeBy: b.uow.actor.id });
      if (before?.name !== name || before.note !== note || before.active !== active)
        b.uow.enter({
          act: before ? 'changed an access tag' : 'made an access tag',
          subject: tagSubject({ id, name }),
          before: before && { name: before.name, note: before.note, active: before.active },
          after: { name, note, active },
          note: from,
        });
      await writeGrants(b, change);
    }
  },
};
