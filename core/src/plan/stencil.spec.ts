import { speaking } from '@key-cellar/words/testing';
import * as fc from 'fast-check';
import {
  bareFolder,
  slotsOf,
  bringChanges,
  compareVersions,
  datedTitle,
  fillCode,
  filledState,
  fillText,
  foldersOf,
  readyText,
  stencilProblems as stencilProblemsSaid,
  wholeDefinition,
  type FolderState,
  type PlacedGrant,
  type ReadyTitle,
  type Said,
  type StencilDefinition,
  type StencilFolder,
  type StencilGrant,
  type StencilRole,
} from './index.js';
import { mostFolders } from './stencil.js';

const stencilProblems = speaking(stencilProblemsSaid);
const stencilOf = (root: StencilFolder, asks: string[] = [], roles: StencilRole[] = []): StencilDefinition => ({ asks, roles, root });
const said: Said = { words: {}, facts: {}, roles: {} };

const folder = (key: string, more: Partial<StencilFolder> = {}): StencilFolder => ({
  ...bareFolder(key, key.toUpperCase(), `Folder ${key}`),
  ...more,
});
const title = (text: string, more: Partial<ReadyTitle> = {}): ReadyTitle => ({ text, date: 'none', recordType: null, ...more });

describe('a stencil', () => {
  const rows: [string, Partial<StencilFolder>, string[], string][] = [
    ['nothing wrong', { code: 'P-{nn}', title: 'File of {person}', readyTitles: [title('Appraisal {nn} of {person}')] }, ['person'], ''],
    ['facts that its folders give', { title: 'At {berth}', facts: { berth: 'Berth 4' } }, [], ''],
    ['a fact that nobody says', { title: 'File of {person}' }, [], 'File of {person} holds {person}, which no use of the stencil says.'],
    ['one in a ready title', { readyTitles: [title('{who} came')] }, ['person'], 'Folder a holds {who}, which no use of the stencil says.'],
    ['no title', { title: ' ' }, [], 'A folder needs a title.'],
    [
      'a code in small letters',
      { code: 'p-1' },
      [],
      'Folder a needs a code: capital letters, digits, hyphens, dots and slashes; facts and {nn} may be in it.',
    ],
    ['an empty ready title', { readyTitles: [title(' ')] }, [], 'Folder a has a ready title without a text.'],
    ['two folders of one code', { inside: [folder('b', { code: 'X' }), folder('c', { code: 'X' })] }, [], 'Folder a has two folders X.'],
    [
      'a counted folder inside',
      { inside: [folder('b', { code: 'X-{nn}' })] },
      [],
      'Folder b lies inside, so nothing counts its code: write it out.',
    ],
    ['one key twice', { inside: [folder('a', { code: 'B' })] }, [], 'Folder a has the key of another folder.'],
  ];
  for (const [name, changes, asks, expected] of rows) {
    it(name, () => expect(stencilProblems(stencilOf(folder('a', changes), asks))[0]?.sentence ?? '').toBe(expected));
  }
  it('has two hundred folders at most, six deep', () => {
    const wide = folder('a', { inside: Array.from({ length: 200 }, (_, i) => folder(`f${i}`)) });
    expect(stencilProblems(stencilOf(wide))[0]!.sentence).toContain('A stencil has at most 200 folders; this one has 201.');
    const deep = Array.from({ length: 7 }).reduce<StencilFolder>((inner, _, i) => folder(`d${i}`, { inside: [inner] }), folder('in'));
    expect(stencilProblems(stencilOf(deep))[0]!.sentence).toContain('lies deeper');
    expect(foldersOf(deep).map((f) => f.depth)).toEqual([0, 1, 2, 3, 4, 5, 6, 7]);
  });
});

describe('texts and codes with facts', () => {
  it('are filled, and mended where a fact is missing', () => {
    expect(fillText('File of {person}, {post}', { person: 'Ida Vasik', post: 'pilot' })).toBe('File of Ida Vasik, pilot');
    expect(fillText('File of {person} now', {})).toBe('File of now');
    expect(fillText('{constructor} {nn}', {})).toBe('{nn}');
    expect(fillCode('P-{person}-{nn}', { person: 'Ída  Vásik & Co.' })).toBe('P-IDA-VASIK-CO-{nn}');
  });
});

describe('a ready title', () => {
  const on = '2026-09-14';
  const rows: [ReadyTitle, string[], string][] = [
    [title('Appraisal'), [], 'Appraisal'],
    [title('Appraisal', { date: 'before' }), [], '2026-09-14 Appraisal'],
    [title('Appraisal', { date: 'after' }), [], 'Appraisal 2026-09-14'],
    [title('Appraisal of {person}'), [], 'Appraisal of Ida'],
    [title('Letter {nn}'), [], 'Letter 01'],
    [title('Letter {nn}'), ['Letter 01', 'Letter 07', 'Letter 3a', 'A Letter 99'], 'Letter 08'],
    [
      title('Letter {n} to {person}', { date: 'before' }),
      ['2025-01-01 Letter 4 to Ida', 'Letter 9 to Ida 2026-01-01', 'Letter 12 to Otto'],
      '2026-09-14 Letter 10 to Ida',
    ],
    [title('Sum (a+b) {n}'), ['Sum (a+b) 2', 'Sum aab 9'], 'Sum (a+b) 3'],
  ];
  for (const [ready, there, expected] of rows)
    it(expected, () => expect(datedTitle(readyText(ready, { person: 'Ida' }, there), ready.date, on)).toBe(expected));
});

describe('later changes of a stencil', () => {
  const grant = (principalId: string): PlacedGrant => ({ principalId, profile: 'reader', from: null, until: null });
  const before = filledState(
    folder('a', {
      title: 'Papers',
      note: 'old',
      grants: [{ ...grant('x'), role: null }],
      rules: ['r1'],
      facts: { berth: '1' },
      readyTitles: [title('Letter')],
    }),
    said,
  );
  const bring = (after: Partial<FolderState>, now: Partial<FolderState> = {}) =>
    bringChanges(before, { ...before, ...after }, { ...before, ...now });

  it('come where nobody touched anything', () => {
    const after = {
      title: 'Papers and letters',
      types: ['letter'],
      grants: [grant('y')],
      rules: ['r1', 'r2'],
      facts: { berth: '2', side: 'n' },
      code: 'NEW',
      jurisdictions: ['North'],
      standAlone: true,
      numbering: 'n1',
      formats: ['pdf'],
      largest: 5,
    };
    const { state, changes, kept } = bring(after);
    expect(state).toEqual({ ...before, ...after });
    expect(changes).toEqual([
      'code',
      'title',
      'standAlone',
      'numbering',
      'types',
      'formats',
      'largest',
      'facts',
      'grants',
      'rules',
      'jurisdictions',
    ]);
    expect(kept).toEqual([]);
  });
  it('leave what people changed', () => {
    const { state, changes, kept } = bring(
      { title: 'Other', note: 'new', facts: { berth: '2' } },
      { title: 'Mine', facts: { berth: '9', own: 'x' } },
    );
    expect([state.title, state.note, state.facts]).toEqual(['Mine', 'new', { berth: '9', own: 'x' }]);
    expect([changes, kept]).toEqual([['note'], ['title', 'facts']]);
  });
  it('leave what people added, and take away only what came from the stencil', () => {
    const { state } = bring(
      { grants: [], rules: [], readyTitles: [title('Memo')] },
      { grants: [grant('x'), grant('mine')], rules: ['r1', 'own'], readyTitles: [title('Letter'), title('Own')] },
    );
    expect([state.grants, state.rules, state.readyTitles]).toEqual([[grant('mine')], ['own'], [title('Own'), title('Memo')]]);
  });
  it('do nothing where people did the same already', () => {
    const { changes, kept } = bring({ title: 'New', rules: ['r2'] }, { title: 'New', rules: ['r2'] });
    expect([changes, kept]).toEqual([[], []]);
  });

  const state = fc.record({
    code: fc.constantFrom('A', 'B'),
    title: fc.constantFrom('a', 'b', 'c'),
    standAlone: fc.boolean(),
    numbering: fc.constantFrom(null, 'n'),
    jurisdictions: fc.uniqueArray(fc.constantFrom('N', 'S'), { maxLength: 2 }),
    formats: fc.constantFrom(null, ['pdf']),
    largest: fc.constantFrom(null, 1),
    note: fc.constantFrom('', 'n'),
    message: fc.constantFrom('', 'm'),
    types: fc.constantFrom(null, ['t']),
    marking: fc.constantFrom(null, { level: 1, caveats: [] }),
    facts: fc.dictionary(fc.constantFrom('f', 'g'), fc.constantFrom('1', '2'), { maxKeys: 2 }),
    grants: fc.uniqueArray(fc.constantFrom('x', 'y', 'z'), { maxLength: 3 }).map((ids) => ids.map(grant)),
    rules: fc.uniqueArray(fc.constantFrom('r', 's', 't'), { maxLength: 3 }),
    readyTitles: fc.uniqueArray(fc.constantFrom('A', 'B'), { maxLength: 2 }).map((t) => t.map((text) => title(text))),
  }) as fc.Arbitrary<FolderState>;
  const set = (list: readonly unknown[]): string[] => list.map((v) => JSON.stringify(v)).sort();
  it('obey what holds of three versions of anything', () => {
    fc.assert(
      fc.property(state, state, state, (old, next, now) => {
        // Nothing new: nothing happens. Nothing touched: the new version, up to order. Twice is once.
        expect(bringChanges(old, old, now)).toEqual({ state: now, changes: [], kept: [] });
        const plain = bringChanges(old, next, old);
        expect(plain.kept).toEqual([]);
        expect({
          ...plain.state,
          grants: set(plain.state.grants),
          rules: set(plain.state.rules),
          readyTitles: set(plain.state.readyTitles),
          jurisdictions: set(plain.state.jurisdictions),
        } as unknown).toEqual({
          ...next,
          grants: set(next.grants),
          rules: set(next.rules),
          readyTitles: set(next.readyTitles),
          jurisdictions: set(next.jurisdictions),
        });
        const once = bringChanges(old, next, now).state;
        expect(bringChanges(next, next, once).state).toEqual(once);
        // What is there now and was never the stencil's stays.
        const own = now.rules.filter((r) => !old.rules.includes(r));
        expect(own.every((r) => once.rules.includes(r))).toBeTrue();
      }),
    );
  });
});

describe('a stencil at its edges', () => {
  const sentences = (root: StencilFolder, asks: string[] = []) => stencilProblems(stencilOf(root, asks)).map((p) => p.sentence);
  it('begins with a folder that says nothing but what it is called', () => {
    expect(bareFolder('k', 'K-1', 'Kept')).toEqual({
      key: 'k',
      code: 'K-1',
      title: 'Kept',
      note: '',
      message: '',
      grants: [],
      rules: [],
      jurisdictions: [],
      numbering: null,
      standAlone: false,
      types: null,
      formats: null,
      largest: null,
      marking: null,
      facts: {},
      readyTitles: [],
      inside: [],
    });
  });
  it('has two hundred folders, and not one more', () => {
    const wide = (n: number) => folder('a', { inside: Array.from({ length: n - 1 }, (_, i) => folder(`f${i}`)) });
    expect(sentences(wide(mostFolders))).toEqual([]);
    expect(sentences(wide(mostFolders + 1))).toEqual([`A stencil has at most ${mostFolders} folders; this one has ${mostFolders + 1}.`]);
  });
  it('is six folders deep, and not one more', () => {
    const deep = (n: number): StencilFolder => folder(`d${n}`, { inside: n === 0 ? [] : [deep(n - 1)] });
    expect(sentences(deep(6))).toEqual([]);
    expect(sentences(deep(7))).toEqual(['Folder d0 lies deeper than 6 folders.']);
  });
  it('takes a fact that any of its folders gives', () => {
    const root = folder('a', {
      title: 'At {berth}',
      inside: [folder('b', { facts: { berth: 'Four' } }), folder('c', { facts: { quay: 'East' } })],
    });
    expect(sentences(root)).toEqual([]);
  });
  it('counts with n only', () => {
    expect(slotsOf('{n} {nn} {nnn} {name} {note} {no}')).toEqual(['name', 'note', 'no']);
  });
  const spelled: [string, string, string][] = [
    ['letters that are no accents', 'Ærø 1', 'R-AERO-1'],
    ['what stands apart in Unicode', 'Å'.normalize('NFD'), 'R-A'],
    ['other scripts', 'Αθήνα', 'R-ATHINA'],
    ['what cannot be spelled, as it is', '…', 'R-…'],
    ['nothing, without a hyphen left over', '', 'R'],
  ];
  for (const [name, who, code] of spelled) it(`spells ${name}`, () => expect(fillCode('R-{who}', { who })).toBe(code));
  it('leaves no two hyphens where a fact is missing', () => expect(fillCode('R-{a}-{b}-{nn}', { b: 'x' })).toBe('R-X-{nn}'));
  it('makes codes without accents, and without what stands around them', () => {
    expect(fillCode('A-{who}', { who: '--Zoë  Ångström!!' })).toBe('A-ZOE-ANGSTROM');
    expect(fillCode('A-{who}', { who: 'ệ (2)' })).toBe('A-E-2');
  });
});

describe('roles of a stencil', () => {
  const forRole = (role: string | null, principalId: string | null = null): StencilGrant => ({
    principalId,
    role,
    profile: 'reader',
    from: null,
    until: null,
  });
  const owner: StencilRole = { code: 'owner', title: 'Owner' };
  const rows: [string, StencilRole[], StencilGrant[], string][] = [
    ['a grant to a role', [owner], [forRole('owner')], ''],
    ['a grant to a person', [owner], [forRole(null, 'ida')], ''],
    ['one to both', [owner], [forRole('owner', 'ida')], 'gives access to neither'],
    ['one to nobody', [owner], [forRole(null)], 'gives access to neither'],
    ['one to a role that is not there', [], [forRole('owner')], 'gives access to neither'],
    ['a role without a name', [{ code: 'x', title: ' ' }], [], 'A role needs a name.'],
    ['two of one name', [owner, { code: 'second', title: 'OWNER ' }], [], 'Two roles are called OWNER.'],
    [
      'one that ends before it begins',
      [owner],
      [{ ...forRole('owner'), from: '2026-02-01', until: '2026-01-31' }],
      'ends before it begins',
    ],
    ['one of a single day', [owner], [{ ...forRole('owner'), from: '2026-02-01', until: '2026-02-01' }], ''],
  ];
  for (const [name, roles, grants, expected] of rows) {
    it(`judges ${name}`, () => {
      const sentence = stencilProblems(stencilOf(folder('a', { grants }), [], roles))[0]?.sentence ?? '';
      if (expected === '') expect(sentence).toBe('');
      else expect(sentence).toContain(expected);
    });
  }
  it('are persons and groups in a use; a role that nobody has gives nothing', () => {
    const grants = [forRole('owner'), forRole('other'), { ...forRole(null, 'ida'), until: '2030-01-01' }];
    expect(filledState(folder('a', { grants }), { ...said, roles: { owner: 'otto' } }).grants).toEqual([
      { principalId: 'otto', profile: 'reader', from: null, until: null },
      { principalId: 'ida', profile: 'reader', from: null, until: '2030-01-01' },
    ]);
  });
});

describe('two versions of a stencil', () => {
  const older = stencilOf(folder('a', { inside: [folder('b', { inside: [folder('c')] }), folder('d')] }));
  it('are equal', () => expect(compareVersions(older, older)).toEqual([]));
  it('differ in folders that are new, gone, moved and changed', () => {
    const newer = stencilOf(folder('a', { title: 'Other', inside: [folder('c', { note: 'n', rules: ['r'] }), folder('b'), folder('e')] }));
    expect(compareVersions(older, newer).map(({ key, what, parts }) => [key, what, parts])).toEqual([
      ['a', 'changed', ['title']],
      ['c', 'moved', []],
      ['c', 'changed', ['note', 'rules']],
      ['e', 'new', []],
      ['d', 'gone', []],
    ]);
  });
  it('that were kept before stencils could say all of it say nothing of the rest', () => {
    const kept = {
      asks: ['x'],
      root: {
        key: 'a',
        code: 'A',
        title: 'T',
        grants: [{ principalId: 'i', profile: 'reader' }],
        inside: [{ key: 'b', code: 'B', title: 'U' }],
      },
    };
    expect(wholeDefinition(kept)).toEqual({
      asks: ['x'],
      roles: [],
      root: {
        ...bareFolder('a', 'A', 'T'),
        grants: [{ principalId: 'i', role: null, profile: 'reader', from: null, until: null }],
        inside: [bareFolder('b', 'B', 'U')],
      },
    });
  });
});
