import * as fc from 'fast-check';
import {
  changeOf,
  effectiveAccess,
  extentOf,
  hasRight,
  profileIn,
  profilesWith,
  shippedProfiles,
  rights,
  sourcesOf,
  type AccessPlace,
  type Profile,
} from './index.js';

const profile = (code: string): Profile => profileIn(profilesWith([]), code);

const today = 20_000;
const who = { id: 'ada', principals: new Set(['ada', 'pilots']), clearance: { level: 1, caveats: [] } };
const place = (id: string, ...given: [string, string][]): AccessPlace => ({
  id,
  name: id,
  standAlone: false,
  tags: [],
  grants: given.map(([principalId, code], i) => ({ id: `${id}${i}`, principalId, profile: profile(code), from: null, until: null })),
});

describe('comparing access', () => {
  it('tells what is had on everything from what is had on own deposits', () => {
    const access = effectiveAccess(who, [place('HAR', ['ada', 'depositor'])], { level: 0, caveats: [] }, today);
    expect([extentOf(access, 'deposit'), extentOf(access, 'read'), extentOf(access, 'edit')]).toEqual(['all', 'own', 'no']);
  });

  it('names the grants that give a right, and none under a ceiling', () => {
    const chain = [place('root', ['pilots', 'reader']), place('PIL', ['ada', 'editor'])];
    const access = effectiveAccess(who, chain, { level: 0, caveats: [] }, today);
    expect(sourcesOf(access, 'edit').map((w) => w.grant.id)).toEqual(['PIL0']);
    expect(sourcesOf(access, 'read').map((w) => w.grant.id)).toEqual(['PIL0', 'root0']);
    expect(sourcesOf(access, 'hold')).toEqual([]);
    expect(sourcesOf(effectiveAccess(who, chain, { level: 2, caveats: [] }, today), 'read')).toEqual([]);
  });

  it('finds a source for every right that is had, and for no other', () => {
    const codes = shippedProfiles.map((p) => p.code);
    fc.assert(
      fc.property(fc.array(fc.tuple(fc.constantFrom('ada', 'pilots', 'others'), fc.constantFrom(...codes)), { maxLength: 6 }), (given) => {
        const access = effectiveAccess(who, [place('root', ...given.slice(0, 3)), place('PIL', ...given.slice(3))], who.clearance, today);
        for (const right of rights) expect(sourcesOf(access, right).length > 0).toBe(hasRight(access.own, right));
      }),
    );
  });

  it('says what became of rights', () => {
    const [reader, editor, auditor] = [profile('reader').rights, profile('editor').rights, profile('auditor').rights];
    expect(changeOf(reader, reader)).toBe('same');
    expect(changeOf(0, 0)).toBe('same');
    expect(changeOf(0, reader)).toBe('new');
    expect(changeOf(reader, 0)).toBe('gone');
    expect(changeOf(reader, editor)).toBe('more');
    expect(changeOf(editor, reader)).toBe('less');
    expect(changeOf(editor, auditor)).toBe('other');
  });
});
