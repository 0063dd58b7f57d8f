import { speaking } from '@key-cellar/words/testing';
import * as fc from 'fast-check';
import {
  codePattern,
  isCodePattern,
  kindsInside,
  mergeRefusal as mergeRefusalSaid,
  moveRefusal as moveRefusalSaid,
  nextCode,
  placeKinds,
  refusesInside as refusesInsideSaid,
  shutOn,
  type Shut,
  takesRecords,
  kindWords as kindWordsSaid,
  type PlaceStanding,
} from './index.js';

const moveRefusal = speaking(moveRefusalSaid);
const mergeRefusal = speaking(mergeRefusalSaid);

const refusesInside = speaking(refusesInsideSaid);
const kindWords = speaking(kindWordsSaid);

describe('codes by pattern', () => {
  const table: [string, string[], string][] = [
    ['PIL-{nn}', [], 'PIL-01'],
    ['PIL-{nn}', ['PIL-01', 'PIL-07', 'BER-99'], 'PIL-08'],
    ['PIL-{nn}', ['PIL-99'], 'PIL-100'],
    ['PIL-{nnn}', ['PIL-7'], 'PIL-008'],
    ['{n}', ['1', '2', 'x'], '3'],
    ['Q-{nn}/A', ['Q-03/A', 'Q-09/B'], 'Q-04/A'],
    ['PIL-{nn}', ['PIL-1A', 'PIL-'], 'PIL-01'],
    ['PIL-07', ['PIL-07'], 'PIL-07'],
    ['A-{n}-A', ['A-A', 'A-3-A'], 'A-4-A'],
    ['AA{n}AA', ['AAA', 'AAAA', 'AA2AA'], 'AA3AA'],
    ['A{n}', ['Ax7', 'A7x', 'A12'], 'A13'],
    ['A{n}', ['A1234567890'], 'A1'],
  ];
  for (const [pattern, taken, expected] of table)
    it(`${pattern} after ${taken.join(', ') || 'nothing'} is ${expected}`, () => expect(nextCode(pattern, taken)).toBe(expected));
  it('are never one that was given', () => {
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 3 }), fc.array(fc.nat(2000)), (digits, given) => {
        const pattern = `A-{${'n'.repeat(digits)}}`;
        const taken = given.map((n) => `A-${n}`);
        const code = nextCode(pattern, taken);
        expect(isCodePattern(code)).toBeFalse();
        expect(taken.map((t) => Number(t.slice(2)))).not.toContain(Number(code.slice(2)));
      }),
    );
  });
});

describe('changes of the plan', () => {
  const place = (id: string, kind: PlaceStanding['kind'], ancestors: string[], more: Partial<PlaceStanding> = {}): PlaceStanding => ({
    id,
    kind,
    code: id.toUpperCase(),
    openedOn: '2010-01-01',
    closedOn: null,
    retiredOn: null,
    ancestors,
    ...more,
  });
  const today = '2026-09-14';
  const root = place('all', 'repository', ['all']);
  const fn = place('pil', 'function', ['all', 'pil']);
  const activity = place('pil.1', 'activity', ['all', 'pil', 'pil.1']);
  const series = place('pil-01', 'series', ['all', 'pil', 'pil.1', 'pil-01']);
  const folder = place('f', 'folder', ['all', 'pil', 'pil.1', 'pil-01', 'f']);
  const inner = place('g', 'folder', [...folder.ancestors, 'g']);
  const other = place('ber-01', 'series', ['all', 'ber', 'ber-01']);
  const closed = place('c', 'folder', ['all', 'ber', 'ber-01', 'c'], { closedOn: '2020-01-01' });
  const retired = place('old', 'series', ['all', 'ber', 'old'], { retiredOn: '2021-01-01' });
  const moves: [PlaceStanding, PlaceStanding, RegExp | null][] = [
    [folder, other, null],
    [series, fn, null],
    [inner, series, null],
    [activity, fn, /already/],
    [folder, inner, /into itself/],
    [series, place('h', 'folder', ['all', 'ber', 'ber-01', 'h']), /cannot be inside/],
    [folder, fn, /cannot be inside/],
    [root, fn, /repository itself/],
    [folder, closed, /closed on 1 Jan 2020/],
    [folder, retired, /retired on 1 Jan 2021/],
  ];
  for (const [a, b, refusal] of moves)
    it(`moving ${a.code} to ${b.code}`, () =>
      refusal ? expect(moveRefusal(a, b, today)).toMatch(refusal) : expect(moveRefusal(a, b, today)).toBeNull());
  const merges: [PlaceStanding, PlaceStanding, RegExp | null][] = [
    [series, other, null],
    [folder, place('h', 'folder', ['all', 'ber', 'ber-01', 'h']), null],
    [series, series, /into itself/],
    [folder, series, /another folder/],
    [folder, inner, /is inside/],
    [series, retired, /retired/],
    [retired, series, /retired/],
    [root, root, /repository itself/],
  ];
  for (const [a, b, refusal] of merges)
    it(`merging ${a.code} into ${b.code}`, () =>
      refusal ? expect(mergeRefusal(a, b, today)).toMatch(refusal) : expect(mergeRefusal(a, b, today)).toBeNull());
  const days: [string, Partial<PlaceStanding>, Shut | null, string | null][] = [
    ['open', {}, null, null],
    ['opens today', { openedOn: today }, null, null],
    ['opens tomorrow', { openedOn: '2026-09-15' }, 'notYet', 'P opens on 15 Sep 2026.'],
    ['closes tomorrow', { closedOn: '2026-09-15' }, null, null],
    ['closes today', { closedOn: today }, 'closed', 'P was closed on 14 Sep 2026: nothing more comes in unless it is opened again.'],
    [
      'closed long ago',
      { closedOn: '2020-01-01' },
      'closed',
      'P was closed on 1 Jan 2020: nothing more comes in unless it is opened again.',
    ],
    ['retired', { retiredOn: '2021-01-01' }, 'retired', 'P was retired on 1 Jan 2021.'],
    ['closed, then retired', { closedOn: '2020-01-01', retiredOn: '2021-01-01' }, 'retired', 'P was retired on 1 Jan 2021.'],
  ];
  for (const [name, more, shut, sentence] of days)
    it(`what comes into a place that is ${name}`, () => {
      const of = place('p', 'folder', ['all', 'p'], more);
      expect([shutOn(of, today), refusesInside(of, today)]).toEqual([shut, sentence]);
    });
});

describe('kinds of places', () => {
  const table: Record<(typeof placeKinds)[number], [string, string, boolean]> = {
    repository: ['function', 'the repository', false],
    function: ['activity series', 'a function', false],
    activity: ['series', 'an activity', false],
    series: ['folder', 'a series', true],
    folder: ['folder', 'a folder', true],
  };
  for (const kind of placeKinds) {
    it(`${kind}: ${table[kind].join(', ')}`, () => {
      expect([kindsInside(kind).join(' '), kindWords(kind), takesRecords(kind)]).toEqual(table[kind]);
    });
  }
  it('have codes of capital letters, digits, hyphens, dots and slashes', () => {
    for (const code of ['A', '7', 'PIL-03', 'A.B/C', `A${'1'.repeat(39)}`]) expect(codePattern.test(code)).withContext(code).toBeTrue();
    for (const code of ['', '-A', 'a', 'PIL 03', 'PIL-03x', 'PIL-03\n', `A${'1'.repeat(40)}`, ' A']) {
      expect(codePattern.test(code)).withContext(code).toBeFalse();
    }
  });
});
