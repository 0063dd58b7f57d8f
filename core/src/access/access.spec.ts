import { message } from '@key-cellar/words';
import { inEnglish, said, speaking } from '@key-cellar/words/testing';
import * as fc from 'fast-check';
import {
  closesCircle,
  effectiveAccess,
  explainAccess as explainAccessSaid,
  profilesThatCount as profilesThatCountSaid,
  describeRights,
  hasRight,
  listRights,
  may,
  principalsOf,
  profileIn,
  profileRefusal,
  profilesWith,
  rights,
  shippedProfiles,
  type Profile,
  type Right,
  rightSet,
  withParts,
  type AccessPlace,
  type Grant,
  type Person,
} from './index.js';

const explainAccess = speaking(explainAccessSaid);
const profile = (code: string): Profile => profileIn(profilesWith([]), code);
const profilesThatCount = speaking(profilesThatCountSaid);

const today = 20_000;
let next = 0;
const grant = (principalId: string, code: string, from: number | null = null, until: number | null = null): Grant => ({
  id: `g${next++}`,
  principalId,
  profile: profile(code),
  from,
  until,
});
const place = (name: string, grants: Grant[] = [], standAlone = false): AccessPlace => ({ id: name, name, standAlone, grants, tags: [] });
const person = (level = 1, caveats: string[] = []): Person => ({
  id: 'ada',
  principals: new Set(['ada', 'pilots', 'staff']),
  clearance: { level, caveats },
});
const open = { level: 0, caveats: [] };
const at = (chain: AccessPlace[], who = person(), marking: { level: number; caveats: string[] } = open) =>
  effectiveAccess(who, chain, marking, today);

describe('profiles', () => {
  it('never give copying out with reading alone', () => {
    expect(listRights(profile('reader').rights)).toEqual(['discover', 'read']);
    expect(said(message('shared.asIs', { text: describeRights(rightSet('read', 'copyOut', 'setUp')) }))).toBe('read, copy out, set up');
    // Parts of what is there go without saying; alone they are said.
    expect(said(message('shared.asIs', { text: describeRights(withParts(rightSet('setUp', 'dispose'))) }))).toBe('dispose, set up');
    expect(said(message('shared.asIs', { text: describeRights(rightSet('people', 'arrange')) }))).toBe(
      'look after people, arrange record types',
    );
  });
  it('give a keeper everything but setting up', () => {
    const beside = rights.filter((right) => !hasRight(profile('keeper').rights, right));
    expect(beside).toEqual(['setUp', 'people', 'connect']);
  });
  it('take along what is a part of a right, and never the other way round', () => {
    expect(listRights(withParts(rightSet('setUp')))).toEqual(['setUp', 'people', 'connect']);
    expect(listRights(withParts(rightSet('discover', 'dispose')))).toEqual(['discover', 'dispose', 'arrange']);
    for (const part of ['people', 'connect', 'arrange'] as const) expect(listRights(withParts(rightSet(part)))).toEqual([part]);
  });
  it('of a repository’s own are single rights that make sense together', () => {
    const refusal = (rights: Right[], ownOnly = false): string => {
      const message = profileRefusal({ rights: rightSet(...rights), ownOnly });
      return message ? said(message) : 'none';
    };
    expect(refusal(['discover', 'read', 'move'])).toBe('none');
    expect(refusal([])).toBe('A profile has at least one right.');
    expect(refusal(['discover', 'copyOut'])).toBe('“copy out” is of no use without “read”.');
    expect(refusal(['dispose'])).toBe('“dispose” is of no use without “discover”.');
    expect(refusal(['setUp'])).toBe('none');
    expect(refusal(['discover', 'read', 'deposit'], true)).toBe('none');
    expect(refusal(['discover', 'read', 'edit'], true)).toBe('On own deposits alone there is only: discover, read, copy out, deposit.');
    for (const p of shippedProfiles)
      expect(refusal(listRights(p.rights), p.ownOnly))
        .withContext(p.code)
        .toBe('none');
  });
  it('of its own never stand in for one that ships', () => {
    const own = { code: 'reader', title: 'All', rights: rightSet('audit'), ownOnly: false };
    expect(profileIn(profilesWith([own]), 'reader')).toBe(profile('reader'));
  });
  it('refuse an unknown code', () => expect(() => profile('boss')).toThrowError(RangeError));
});

describe('effective access', () => {
  it('is nothing without a grant', () => {
    const access = at([place('repository')]);
    expect(may(access, 'discover')).toBeFalse();
    expect(explainAccess(access)).toBe('No grant in force reaches this place.');
    expect(profilesThatCount(access)).toEqual([]);
  });
  it('names the profiles that count, each once, and none under a ceiling', () => {
    const grants = [place('repository', [grant('pilots', 'editor'), grant('lune', 'editor'), grant('staff', 'reader')])];
    expect(profilesThatCount(at(grants))).toEqual(['Editor', 'Reader']);
    expect(profilesThatCount(at(grants, person(), { level: 9, caveats: [] }))).toEqual([]);
  });
  it('takes the nearest place for each principal', () => {
    const access = at([place('repository', [grant('pilots', 'editor')]), place('PIL', [grant('pilots', 'reader')])]);
    expect(may(access, 'edit')).toBeFalse();
    expect(access.weighed.map((w) => w.status)).toEqual(['counts', 'superseded by a nearer place']);
  });
  it('unites different principals', () => {
    const access = at([place('repository', [grant('staff', 'reader')]), place('PIL', [grant('ada', 'approver')])]);
    expect(may(access, 'approve') && may(access, 'read')).toBeTrue();
  });
  it('two grants for one principal at one place both count', () => {
    const access = at([place('PIL', [grant('ada', 'reader'), grant('ada', 'approver')])]);
    expect(may(access, 'approve')).toBeTrue();
    expect(access.weighed.every((w) => w.status === 'counts')).toBeTrue();
  });
  it('does not let a grant that has ended or not begun supersede', () => {
    const access = at([
      place('repository', [grant('ada', 'editor')]),
      place('PIL', [grant('ada', 'reader', null, today - 1), grant('ada', 'reader', today + 1)]),
    ]);
    expect(may(access, 'edit')).toBeTrue();
    expect(access.weighed.map((w) => w.status)).toEqual(['ended', 'not begun', 'counts']);
  });
  it('counts first and last day', () => {
    expect(may(at([place('PIL', [grant('ada', 'reader', today, today)])]), 'read')).toBeTrue();
  });
  it('stops at a place that stands alone, keepers and auditors excepted', () => {
    const above = place('repository', [grant('staff', 'editor'), grant('pilots', 'auditor')]);
    const access = at([above, place('PEO', [], true), place('folder')]);
    expect(may(access, 'edit')).toBeFalse();
    expect(may(access, 'audit')).toBeTrue();
  });
  it('lets grants at the place that stands alone count', () => {
    expect(may(at([place('PEO', [grant('ada', 'editor')], true)]), 'edit')).toBeTrue();
  });
  it('a depositor sees only what they deposited', () => {
    const access = at([place('repository', [grant('ada', 'depositor')])]);
    expect(may(access, 'deposit')).toBeTrue();
    expect(may(access, 'read')).toBeFalse();
    expect(may(access, 'read', true)).toBeTrue();
  });
  it('a clearance too low leaves nothing, not even discover', () => {
    const chain = [place('repository', [grant('ada', 'keeper')])];
    expect(may(at(chain, person(1), { level: 2, caveats: [] }), 'discover')).toBeFalse();
    expect(may(at(chain, person(2, ['people']), { level: 1, caveats: ['safety'] }), 'discover')).toBeFalse();
    expect(may(at(chain, person(2, ['people', 'safety']), { level: 2, caveats: ['safety'] }), 'discover')).toBeTrue();
  });
  it('lists every grant of the person exactly once, and adding a group never takes rights from others', () => {
    const anyGrant = fc.record({
      id: fc.uuid(),
      principalId: fc.constantFrom('ada', 'pilots', 'staff', 'others'),
      profile: fc.constantFrom(...shippedProfiles),
      from: fc.constantFrom(null, today - 1, today + 1),
      until: fc.constantFrom(null, today - 1, today + 1),
    });
    const anyPlace = fc.record({
      id: fc.uuid(),
      name: fc.string(),
      standAlone: fc.boolean(),
      tags: fc.constant([]),
      grants: fc.array(anyGrant, { maxLength: 4 }),
    });
    fc.assert(
      fc.property(fc.array(anyPlace, { minLength: 1, maxLength: 5 }), (chain) => {
        const who = person();
        const access = at(chain, who);
        const own = chain.flatMap((p) => p.grants).filter((g) => who.principals.has(g.principalId));
        expect(access.weighed.length).toBe(own.length);
        const more = at(chain, { ...who, principals: new Set([...who.principals, 'others']) });
        expect(more.all & access.all).toBe(access.all);
        expect(access.own & access.all).toBe(access.all);
      }),
    );
  });
});

describe('groups', () => {
  const memberships = new Map([
    ['ada', ['pilots']],
    ['pilots', ['staff']],
    ['staff', ['everyone']],
  ]);
  it('nest', () => expect([...principalsOf('ada', memberships)].sort()).toEqual(['ada', 'everyone', 'pilots', 'staff']));
  it('refuse circles', () => {
    expect(closesCircle('everyone', 'pilots', memberships)).toBeTrue();
    expect(closesCircle('ada', 'staff', memberships)).toBeFalse();
  });
  it('end even where a circle exists', () => {
    expect(
      principalsOf(
        'a',
        new Map([
          ['a', ['b']],
          ['b', ['a']],
        ]),
      ).size,
    ).toBe(2);
  });
});

describe('the profiles', () => {
  const may_ = 'discover read';
  const table: Record<string, [string, boolean]> = {
    reader: [may_, false],
    borrower: [`${may_} copyOut`, false],
    depositor: [`${may_} deposit`, true],
    editor: [`${may_} copyOut deposit annotate edit`, false],
    steward: [`${may_} copyOut deposit annotate edit move declare link grant`, false],
    keeper: [`${may_} copyOut deposit annotate edit move declare revoke link grant hold dispose approve audit arrange`, false],
    counsel: [`${may_} copyOut hold approve`, false],
    approver: [`${may_} copyOut approve`, false],
    auditor: [`${may_} audit`, false],
    administrator: ['setUp people connect', false],
    peopleDesk: ['people', false],
    connectionsDesk: ['connect', false],
    formsDesk: ['arrange', false],
  };
  it('are these', () => expect(shippedProfiles.map((p) => p.code).sort()).toEqual(Object.keys(table).sort()));
  for (const [code, [words, ownOnly]] of Object.entries(table)) {
    it(`${code}: ${words}`, () => {
      expect(listRights(profile(code).rights).join(' ')).toBe(words);
      expect(profile(code).ownOnly).toBe(ownOnly);
    });
  }
});

describe('why somebody may not', () => {
  it('names what the clearance does not reach, and weighs the grants all the same', () => {
    const chain = [place('Repository', [grant('ada', 'reader')])];
    const access = effectiveAccess(person(1, ['staff']), chain, { level: 3, caveats: ['harbour', 'staff'] }, today);
    expect(inEnglish(access.ceilings)).toEqual(['The clearance does not reach marking level 3, harbour, staff.']);
    expect([access.all, access.own, access.weighed.length]).toEqual([0, 0, 1]);
    expect(explainAccess(access)).toBe('The clearance does not reach marking level 3, harbour, staff.');
  });
  it('tells a grant that has not begun from one that ended and one that counts, to the day', () => {
    const statusOf = (from: number | null, until: number | null) =>
      effectiveAccess(person(), [place('Repository', [grant('ada', 'reader', from, until)])], { level: 0, caveats: [] }, today).weighed[0]!
        .status;
    expect([statusOf(today + 1, null), statusOf(today, today), statusOf(null, today - 1), statusOf(null, null)]).toEqual([
      'not begun',
      'counts',
      'ended',
      'counts',
    ]);
    expect(statusOf(today - 1, today - 1)).toBe('ended');
  });
});
