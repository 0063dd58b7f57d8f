import { said, speaking } from '@key-cellar/words/testing';
import * as fc from 'fast-check';
import {
  dominates,
  effectiveAccess,
  explainAccess as explainAccessSaid,
  hasRight,
  listRights,
  profileIn,
  profilesWith,
  profileWords,
  rights,
  rightSet,
  shippedProfiles,
  type Profile,
  type AccessPlace,
  type AccessTag,
  type Grant,
  type Marking,
  type Person,
} from './index.js';

const profile = (code: string): Profile => profileIn(profilesWith([]), code);
/** One that ships, or any set of rights. */
const anyProfile: fc.Arbitrary<Profile> = fc.oneof(
  fc.constantFrom(...shippedProfiles),
  fc.record({
    code: fc.constant('own'),
    title: fc.constant('Own'),
    rights: fc.subarray([...rights]).map((some) => rightSet(...some)),
    ownOnly: fc.boolean(),
  }),
);
const explainAccess = speaking(explainAccessSaid);

const today = 20_000;
const principals = ['ada', 'pilots', 'staff', 'others'];
const anyDay = fc.constantFrom(null, today - 1, today, today + 1);
const anyGrant: fc.Arbitrary<Grant> = fc.record({
  id: fc.uuid(),
  principalId: fc.constantFrom(...principals),
  profile: anyProfile,
  from: anyDay,
  until: anyDay,
});
const anyTags = fc.tuple(
  ...['inquiry', 'lawsuit'].map((id) =>
    fc.record({ id: fc.constant(id), name: fc.constant(id), grants: fc.array(anyGrant, { maxLength: 2 }) }),
  ),
);
const anyPlace = (tags: readonly AccessTag[]): fc.Arbitrary<AccessPlace> =>
  fc.record({
    id: fc.uuid(),
    name: fc.constantFrom('repository', 'PIL', 'PIL.1', 'PIL-03', 'Q-19'),
    standAlone: fc.boolean(),
    grants: fc.array(anyGrant, { maxLength: 4 }),
    tags: fc.subarray([...tags]),
  });
const anyChain = anyTags.chain((tags) => fc.array(anyPlace(tags), { minLength: 1, maxLength: 5 }));
const anyMarking: fc.Arbitrary<Marking> = fc.record({
  level: fc.nat(3),
  caveats: fc.uniqueArray(fc.constantFrom('inquiry', 'people'), { maxLength: 2 }),
});
const anyPerson: fc.Arbitrary<Person> = fc.record({
  id: fc.constant('ada'),
  principals: fc.subarray(principals).map((some) => new Set(['ada', ...some])),
  clearance: anyMarking,
});

/**
 * The rule of the nearest place said as slowly as it can be: for every principal look down from the repository, forget
 * what came before a wall (but for who audits), and keep the grants of the last place that has any in force. What was given on a tag counts
 * wherever one of the places that carry it reaches from.
 */
function reference(person: Person, chain: readonly AccessPlace[], marking: Marking): { all: Set<string>; own: Set<string> } {
  const all = new Set<string>();
  const own = new Set<string>();
  if (marking.level > person.clearance.level || marking.caveats.some((c) => !person.clearance.caveats.includes(c))) return { all, own };
  const inForceFrom = (g: Grant, i: number): boolean =>
    (g.from === null || g.from <= today) &&
    (g.until === null || g.until >= today) &&
    (!chain.slice(i + 1).some((p) => p.standAlone) || hasRight(g.profile.rights, 'audit'));
  for (const principal of person.principals) {
    let counting: Grant[] = [];
    chain.forEach((place, i) => {
      const inForce = place.grants.filter((g) => g.principalId === principal && inForceFrom(g, i));
      if (inForce.length > 0) counting = inForce;
    });
    const byTags = chain.flatMap((place, i) =>
      place.tags.flatMap((t) => t.grants).filter((g) => g.principalId === principal && inForceFrom(g, i)),
    );
    for (const grant of [...counting, ...byTags]) {
      const { rights: given, ownOnly } = grant.profile;
      for (const right of listRights(given)) {
        own.add(right);
        if (!ownOnly || !['discover', 'read', 'copyOut'].includes(right)) all.add(right);
      }
    }
  }
  return { all, own };
}

describe('effective access, against a slow reading of the rules', () => {
  it('gives the same rights for any people, places, grants, walls, days and markings', () => {
    fc.assert(
      fc.property(anyPerson, anyChain, anyMarking, (person, chain, marking) => {
        const fast = effectiveAccess(person, chain, marking, today);
        const slow = reference(person, chain, marking);
        expect(new Set(listRights(fast.all))).toEqual(slow.all as Set<never>);
        expect(new Set(listRights(fast.own))).toEqual(slow.own as Set<never>);
      }),
      { numRuns: 2000 },
    );
  });

  it('weighs each grant of the person once, and the rest not at all', () => {
    fc.assert(
      fc.property(anyPerson, anyChain, anyMarking, (person, chain, marking) => {
        const { weighed } = effectiveAccess(person, chain, marking, today);
        const tags = new Map(chain.flatMap((p) => p.tags.map((t) => [t.id, t])));
        const given = [...chain.flatMap((p) => p.grants), ...[...tags.values()].flatMap((t) => t.grants)];
        const theirs = given.filter((g) => person.principals.has(g.principalId));
        expect(weighed.map((w) => w.grant.id).sort()).toEqual(theirs.map((g) => g.id).sort());
      }),
    );
  });

  it('takes nothing away by a tag, and a tag carried within a wall reaches there', () => {
    fc.assert(
      fc.property(anyPerson, anyChain, anyTags, (person, chain, tags) => {
        const open = { level: 0, caveats: [] };
        const bare = effectiveAccess(person, chain, open, today).all;
        const last = chain.at(-1)!;
        const tagged = effectiveAccess(
          person,
          [...chain.slice(0, -1), { ...last, tags: [...last.tags, ...tags.map((t) => ({ ...t, id: `${t.id} too` }))] }],
          open,
          today,
        ).all;
        const alone = effectiveAccess(person, [{ ...last, grants: [], tags }], open, today).all;
        expect(tagged).toBe(bare | alone);
      }),
    );
  });

  it('gives no more when a marking rises, and no less when a clearance does', () => {
    fc.assert(
      fc.property(anyPerson, anyChain, anyMarking, (person, chain, marking) => {
        const before = effectiveAccess(person, chain, marking, today).all;
        const marked = effectiveAccess(person, chain, { ...marking, level: marking.level + 1 }, today).all;
        const cleared = effectiveAccess({ ...person, clearance: { level: 9, caveats: ['inquiry', 'people'] } }, chain, marking, today).all;
        expect(before & marked).toBe(marked);
        expect(before & cleared).toBe(before);
      }),
    );
  });

  it('says which grants count, and only those', () => {
    fc.assert(
      fc.property(anyPerson, anyChain, (person, chain) => {
        const access = effectiveAccess(person, chain, { level: 0, caveats: [] }, today);
        const counting = access.weighed.filter((w) => w.status === 'counts');
        const words = explainAccess(access);
        if (counting.length === 0) expect(words).toBe('No grant in force reaches this place.');
        else
          for (const { grant, place, tag } of counting)
            expect(words).toContain(`${said(profileWords(grant.profile))} ${tag === null ? `on ${place}` : `by the tag “${tag}”`}`);
      }),
    );
  });
});

describe('a clearance', () => {
  const rows: [number, string[], number, string[], boolean][] = [
    [0, [], 0, [], true],
    [1, [], 2, [], false],
    [2, [], 2, [], true],
    [3, [], 2, ['inquiry'], false],
    [2, ['inquiry'], 2, ['inquiry'], true],
    [2, ['inquiry', 'people'], 2, ['inquiry'], true],
    [2, ['people'], 2, ['inquiry', 'people'], false],
    [1, ['inquiry'], 2, ['inquiry'], false],
  ];
  for (const [level, caveats, marked, with_, enough] of rows) {
    it(`of ${level} ${caveats.join('+')} ${enough ? 'reaches' : 'does not reach'} ${marked} ${with_.join('+')}`, () => {
      expect(dominates({ level, caveats }, { level: marked, caveats: with_ })).toBe(enough);
    });
  }
});

describe('sets of rights', () => {
  it('list what was put in, in the order of the rights', () => {
    fc.assert(
      fc.property(fc.subarray([...rights]), (some) => {
        const set = rightSet(...some);
        expect(listRights(set)).toEqual(rights.filter((r) => some.includes(r)));
        for (const right of rights) expect(hasRight(set, right)).toBe(some.includes(right));
      }),
    );
  });
  it('of the profiles grow from reader to steward, and nobody who only reads may copy out', () => {
    const [reader, borrower, editor, steward] = ['reader', 'borrower', 'editor', 'steward'].map((code) => profile(code).rights);
    expect(reader! & borrower!).toBe(reader!);
    expect(borrower! & editor!).toBe(borrower!);
    expect(editor! & steward!).toBe(editor!);
    for (const code of ['reader', 'depositor', 'auditor', 'administrator']) {
      expect(hasRight(profile(code).rights, 'copyOut'))
        .withContext(code)
        .toBeFalse();
    }
  });
});
