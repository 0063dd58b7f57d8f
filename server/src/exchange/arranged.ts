import type { ItemOf } from '@key-cellar/contract';
import { shippedProfiles } from '@key-cellar/core/access';
import { wholeDefinition } from '@key-cellar/core/plan';
import { definitionProblems } from '@key-cellar/core/records';
import { message } from '@key-cellar/words';
import { uuidv7 } from 'uuidv7';
import {
  addedEntity,
  addEntityRow,
  addType,
  addTypeVersion,
  changedEntity,
  lockType,
  publishVersion,
  refuseDefinitions,
  requireFreeName,
  requireNextFacts,
  retireType,
  rewriteEntity,
  subjectOfType,
  writeType,
} from '../facts/index.js';
import { everyoneId, ownProfiles, requireSoundProfile, writeProfile } from '../access/index.js';
import { addStencil, addStencilVersion, requireSound, writeStencil } from '../plan/index.js';
import {
  addDetector,
  addNumbering,
  noteAll,
  requireSoundNumbering,
  requireSoundSigns,
  writeDetector,
  writeNumbering,
} from '../records/index.js';
import { addRuleRow, addRuleVersion, requireGroups, requireLists, writeDraft } from '../schedule/index.js';
import { wrongField } from '../kernel/index.js';
import { attempt, wrong, type Bringing, type Change, type Section, type Wire } from './bringing.js';
import * as store from './store.js';

const textOf = (item: Wire, field: string): string => String(item[field]);
const from = 'from a package';

function groupedBy<T, I>(rows: readonly T[], key: (row: T) => string, item: (rows: readonly T[]) => I): { id: string; item: I }[] {
  const groups = new Map<string, T[]>();
  for (const row of rows) groups.set(key(row), [...(groups.get(key(row)) ?? []), row]);
  return [...groups].map(([id, of]) => ({ id, item: item(of) }));
}

/** People sign in with what they are given here: no password leaves, and none comes. */
const needsSetUp = (b: Bringing, section: 'people' | 'groups' | 'profiles', change: Pick<Change<never>, 'name' | 'row'>): boolean => {
  if (b.may('setUp')) return false;
  wrong(b, section, change, '', message('exchange.needsSetUp'));
  return true;
};

export const profiles: Section<'profiles'> = {
  name: 'profiles',
  key: ['code'],
  table: 'own_profile',
  nameOf: (item) => textOf(item, 'code'),
  reference: () => null,
  identity: ['code'],
  all: async (db) =>
    (await ownProfiles(db)).map(({ code, title, rights, own_only: ownOnly, active }) => ({
      id: code,
      item: { code, title, rights, ownOnly, active },
    })),
  async write(b, changes) {
    for (const change of changes) {
      const { before, after } = change;
      if (needsSetUp(b, 'profiles', change)) continue;
      if (shippedProfiles.some((p) => p.code === after.code)) {
        wrong(b, 'profiles', change, 'code', message('access.profileShips', { code: after.code }));
        continue;
      }
      await attempt(b, 'profiles', change, '', async () => {
        await requireSoundProfile(b.uow, after, after.code);
        await writeProfile(b.uow, after);
      });
      b.uow.enter({
        act: before ? 'changed a profile' : 'made a profile',
        subject: { kind: 'profile', id: null, name: after.title },
        before,
        after,
        note: from,
      });
    }
  },
};

export const people: Section<'people'> = {
  name: 'people',
  key: ['login'],
  table: 'principal',
  nameOf: (item) => textOf(item, 'login').toLowerCase(),
  reference: (item) => ({ refers: 'person', to: textOf(item, 'login').toLowerCase() }),
  identity: ['login'],
  all: async (db) =>
    (await store.people(db)).map(({ id, level, caveats, ...p }) => ({
      id,
      item: { login: p.login, name: p.name, email: p.email, clearance: { level, caveats: [...caveats].sort() }, active: p.active },
    })),
  async write(b, changes) {
    for (const change of changes) {
      const { id, before, after } = change;
      if (needsSetUp(b, 'people', change)) continue;
      await (before ? store.writePerson : store.addPerson)(b.uow, { ...after, id });
      b.uow.enter({
        act: before ? 'changed a person' : 'added a person',
        subject: { kind: 'person', id, name: after.name },
        before,
        after,
        note: from,
      });
    }
  },
};

export const groups: Section<'groups'> = {
  name: 'groups',
  key: ['name'],
  table: 'principal',
  nameOf: (item) => textOf(item, 'name').toLowerCase(),
  reference: (item) => ({ refers: 'group', to: textOf(item, 'name') }),
  identity: ['name'],
  all: async (db) =>
    (await store.groups(db)).map(({ id, name, active, members, second_factor: secondFactor }) => ({
      id,
      item: { name, active, members, secondFactor },
    })),
  async write(b, changes) {
    const everyone = await everyoneId(b.uow);
    const allowed = changes.filter((change) => {
      if (needsSetUp(b, 'groups', change)) return false;
      const touches = change.id === everyone && (!change.after.active || change.after.members.length > 0);
      if (touches || change.after.members.includes(everyone)) wrong(b, 'groups', change, 'members', message('identity.everyoneStays'));
      return !touches && !change.after.members.includes(everyone);
    });
    // Groups nest, so each is there before it is a member.
    for (const { id, before, after } of allowed) {
      const { name, active, secondFactor } = after;
      if (before) await store.writeGroup(b.uow, { id, active, secondFactor });
      else await store.addGroup(b.uow, { id, name, active, secondFactor });
    }
    for (const { id, before, after } of allowed) {
      await store.writeMembers(b.uow, id, after.members);
      b.uow.enter({
        act: before ? 'changed a group' : 'added a group',
        subject: { kind: 'group', id, name: after.name },
        before,
        after,
        note: from,
      });
    }
    const circle = allowed.length > 0 ? await store.groupInItself(b.uow) : undefined;
    if (circle)
      wrong(b, 'groups', { name: circle.name, row: undefined }, 'members', message('exchange.groupInItself', { name: circle.name }));
  },
};

export const recordTypes: Section<'recordTypes'> = {
  name: 'recordTypes',
  key: ['code'],
  table: 'record_type',
  rowsOf: 'versions',
  nameOf: (item) => textOf(item, 'code'),
  reference: () => null,
  histories: ['versions'],
  all: async (db) =>
    groupedBy(
      await store.recordTypes(db),
      (row) => row.code,
      ([first, ...more]): ItemOf<'recordTypes'> => ({
        code: first!.code,
        retiredOn: first!.retired_on,
        versions: [first!, ...more].map((v) => ({
          title: v.title,
          facts: v.facts,
          publishedBy: v.published_by,
          publishedAt: v.published_at.toISOString(),
        })),
      }),
    ),
  async write(b, changes) {
    const { uow, services } = b;
    for (const change of changes) {
      const { before, after } = change;
      const newest = after.versions.at(-1)!;
      const subject = subjectOfType({ code: after.code, title: newest.title });
      await attempt(b, 'recordTypes', change, 'versions', async () => {
        if (!before) {
          for (const { facts } of after.versions) refuseDefinitions(definitionProblems(facts));
          await addType(uow, { code: after.code, title: newest.title, facts: newest.facts });
          for (const [i, v] of after.versions.entries()) {
            await addTypeVersion(uow, {
              code: after.code,
              version: i + 1,
              title: v.title,
              facts: v.facts,
              by: v.publishedBy,
              at: v.publishedAt,
            });
          }
          await writeType(uow, { code: after.code, version: after.versions.length, title: newest.title, facts: newest.facts });
          uow.enter({ act: 'made a record type', subject, after, note: from });
        }
        for (const v of before ? after.versions.slice(before.versions.length) : []) {
          const type = (await lockType(uow, after.code))!;
          await requireNextFacts(uow, type, v.facts);
          await publishVersion(services, uow, type, { title: v.title, facts: v.facts, by: v.publishedBy, at: v.publishedAt });
        }
      });
      if (after.retiredOn === (before?.retiredOn ?? null)) continue;
      await retireType(uow, after.code, after.retiredOn);
      const act = after.retiredOn === null ? 'took a record type up again' : 'retired a record type';
      uow.enter({ act, subject, after: { on: after.retiredOn }, note: from });
    }
  },
};

export const numberings: Section<'numberings'> = {
  name: 'numberings',
  key: ['title'],
  table: 'numbering',
  nameOf: (item) => textOf(item, 'title').toLowerCase(),
  reference: (item) => ({ refers: 'numbering', to: textOf(item, 'title') }),
  identity: ['title'],
  all: async (db) => (await store.numberings(db)).map(({ id, ...item }) => ({ id, item })),
  async write(b, changes) {
    for (const change of changes) {
      const { id, before, after } = change;
      await attempt(b, 'numberings', change, 'pattern', async () => {
        await requireSoundNumbering(b.uow, after);
        await (before ? writeNumbering : addNumbering)(b.uow, { ...after, id });
      });
      const subject = { kind: 'numbering', id, name: after.title };
      b.uow.enter({ act: before ? 'changed a numbering' : 'made a numbering', subject, before, after, note: from });
    }
  },
};

export const detectors: Section<'detectors'> = {
  name: 'detectors',
  key: ['title'],
  table: 'detector',
  nameOf: (item) => textOf(item, 'title').toLowerCase(),
  reference: (item) => ({ refers: 'detector', to: textOf(item, 'title') }),
  identity: ['title'],
  all: async (db) => (await store.detectors(db)).map(({ id, ...item }) => ({ id, item: { ...item, signs: [...item.signs] as never } })),
  async write(b, changes) {
    for (const change of changes) {
      const { id, before, after } = change;
      const { title, note, signs, retiredOn } = after;
      await attempt(b, 'detectors', change, 'signs', async () => {
        requireSoundSigns(after);
        if (!before) await addDetector(b.uow, { id, title, note, signs });
        if (before || retiredOn !== null) await writeDetector(b.uow, { id, title, note, signs, retiredOn });
      });
      const act = !before
        ? 'made a detector'
        : retiredOn !== null && before.retiredOn === null
          ? 'retired a detector'
          : 'changed a detector';
      b.uow.enter({ act, subject: { kind: 'detector', id, name: title }, before, after, note: from });
    }
    if (changes.some((c) => c.before === null || c.taken.includes('signs') || c.taken.includes('retiredOn'))) {
      await noteAll(b.services, b.uow, changes[0]!.after.title);
    }
  },
};

export const entities: Section<'entities'> = {
  name: 'entities',
  key: ['kind', 'name'],
  table: 'entity',
  nameOf: (item) => `${textOf(item, 'kind')} ${textOf(item, 'name').toLowerCase()}`,
  reference: (item) => ({ refers: item['kind'] === 'object' ? 'object' : 'party', to: textOf(item, 'name') }),
  all: async (db) => (await store.entities(db)).map(({ id, ...item }) => ({ id, item })),
  async write(b, changes) {
    for (const change of changes) {
      const { id, before, after } = change;
      await attempt(b, 'entities', change, 'name', async () => {
        await requireFreeName(b.uow, after.kind, after.name, id);
        if (!before) await addEntityRow(b.uow, { ...after, id });
        if (before || after.retiredOn !== null) await rewriteEntity(b.uow, { id, name: before?.name ?? after.name }, after);
      });
      const act = (before ? changedEntity : addedEntity)(after.kind);
      b.uow.enter({ act, subject: { kind: after.kind, id, name: after.name }, before, after, note: from });
    }
  },
};

export const rules: Section<'rules'> = {
  name: 'rules',
  key: ['code'],
  table: 'rule',
  rowsOf: 'versions',
  nameOf: (item) => textOf(item, 'code'),
  reference: (item) => ({ refers: 'rule', to: textOf(item, 'code') }),
  histories: ['versions', 'withdrawals'],
  blank: () => ({ draft: null, withdrawals: [] }),
  async all(db) {
    const versions = new Map<string, Awaited<ReturnType<typeof store.ruleVersions>>>();
    for (const v of await store.ruleVersions(db)) versions.set(v.rule_id, [...(versions.get(v.rule_id) ?? []), v]);
    return (await store.rules(db)).map(({ id, code, draft }) => {
      const own = versions.get(id) ?? [];
      return {
        id,
        item: {
          code,
          draft,
          versions: own.map((v) => ({
            definition: v.definition,
            inForceFrom: v.in_force_from,
            takesOver: v.takes_over,
            publishedBy: v.published_by,
            publishedAt: v.published_at.toISOString(),
          })),
          withdrawals: own
            .flatMap((v, i) =>
              v.withdrawn_at ? [{ version: i + 1, by: v.withdrawn_by!, at: v.withdrawn_at.toISOString(), reason: v.reason! }] : [],
            )
            .sort((a, c) => (a.at < c.at ? -1 : a.at > c.at ? 1 : a.version - c.version)),
        },
      };
    });
  },
  async write(b, changes) {
    const { uow } = b;
    for (const change of changes) {
      const { id, before, after } = change;
      const subject = { kind: 'rule', id, name: after.code };
      const isNew = (v: number): boolean => v > (before?.versions.length ?? 0);
      await attempt(b, 'rules', change, 'versions', async () => {
        for (const definition of [
          ...after.versions.slice(before?.versions.length ?? 0).map((v) => v.definition),
          ...(after.draft ? [after.draft] : []),
        ]) {
          await requireGroups(uow, definition);
          await requireLists(uow, definition);
        }
        if (!before) {
          await addRuleRow(uow, { id, code: after.code, draft: after.draft });
          uow.enter({ act: 'began a rule', subject, after: after.draft, note: from });
        } else if (change.taken.includes('draft')) {
          await writeDraft(uow, id, after.draft);
          uow.enter({
            act: after.draft ? 'saved a rule draft' : 'dropped a rule draft',
            subject,
            before: before.draft,
            after: after.draft,
            note: from,
          });
        }
        const ids = new Map((before ? await store.versionIds(uow, id) : []).map((v) => [v.version, v.id]));
        for (const [i, v] of after.versions.entries()) {
          if (!isNew(i + 1)) continue;
          const versionId = uuidv7();
          ids.set(i + 1, versionId);
          const { definition, inForceFrom, takesOver, publishedBy, publishedAt } = v;
          await addRuleVersion(uow, {
            id: versionId,
            ruleId: id,
            version: i + 1,
            definition,
            inForceFrom,
            takesOver,
            publishedBy,
            at: publishedAt,
          });
          uow.enter({
            act: 'published a rule',
            subject,
            after: { ...definition, version: i + 1, inForceFrom, takesOver, publishedAt },
            note: from,
          });
        }
        for (const w of after.withdrawals.slice(before?.withdrawals.length ?? 0)) {
          const versionId = ids.get(w.version);
          if (versionId === undefined) throw wrongField('/withdrawals', message('exchange.noVersion', { version: String(w.version) }));
          await store.addWithdrawal(uow, { versionId, by: w.by, at: w.at, reason: w.reason });
          uow.enter({ act: 'withdrew a rule version', subject, after: { version: w.version }, note: w.reason });
        }
      });
      // A rule that is new is set nowhere yet.
      if (before && (change.taken.includes('versions') || change.taken.includes('withdrawals'))) b.touched.all = true;
    }
  },
};

export const stencils: Section<'stencils'> = {
  name: 'stencils',
  key: ['title'],
  table: 'stencil',
  rowsOf: 'versions',
  nameOf: (item) => textOf(item, 'title').toLowerCase(),
  reference: (item) => ({ refers: 'stencil', to: textOf(item, 'title') }),
  identity: ['title'],
  histories: ['versions'],
  all: async (db) =>
    groupedBy(
      await store.stencils(db),
      (row) => row.id,
      ([first, ...more]): ItemOf<'stencils'> => ({
        title: first!.title,
        subject: first!.subject,
        note: first!.note,
        retiredOn: first!.retired_on,
        versions: [first!, ...more].map((v) => ({
          definition: wholeDefinition(v.definition) as never,
          madeBy: v.made_by,
          madeAt: v.made_at.toISOString(),
        })),
      }),
    ),
  async write(b, changes) {
    const { uow } = b;
    for (const change of changes) {
      const { id, before, after } = change;
      const { title, subject, note, retiredOn } = after;
      const added = after.versions.slice(before?.versions.length ?? 0);
      await attempt(b, 'stencils', change, 'versions', async () => {
        if (added.length > 0) await requireSound(uow, after.versions.at(-1)!.definition);
        if (!before) await addStencil(uow, { id, subject, title, note });
        for (const [i, v] of added.entries()) {
          const version = (before?.versions.length ?? 0) + i + 1;
          await addStencilVersion(uow, { id, version, definition: v.definition, by: v.madeBy, at: v.madeAt });
        }
        if (before || retiredOn !== null) await writeStencil(uow, { id, subject, title, note, retiredOn });
      });
      const act = !before ? 'made a stencil' : added.length > 0 ? 'changed a stencil' : 'described a stencil';
      uow.enter({ act, subject: { kind: 'stencil', id, name: title }, before, after, note: from });
    }
  },
};
