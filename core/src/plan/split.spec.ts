import * as fc from 'fast-check';
import { splitSteps, type SplitFolder } from './index.js';

const folder = (id: string, more: Partial<Omit<SplitFolder, 'wanted'>> & { wanted?: Record<number, number> } = {}): SplitFolder => ({
  id,
  parentId: null,
  live: 0,
  chosen: null,
  ...more,
  wanted: new Map(Object.entries(more.wanted ?? {}).map(([part, n]) => [Number(part), n])),
});
const told = (folders: SplitFolder[]): string[] =>
  splitSteps(folders).map((s) => (s.what === 'moves' ? `${s.folderId} to ${s.part}` : `${s.folderId} between ${s.parts.join()}`));

describe('splitting a series', () => {
  const rows: [string, SplitFolder[], string[]][] = [
    ['an empty folder stays', [folder('a')], []],
    ['one of which nothing is wanted stays', [folder('a', { live: 3 })], []],
    ['one of which all is wanted moves', [folder('a', { live: 3, wanted: { 1: 3 } })], ['a to 1']],
    ['one of which some is wanted is divided', [folder('a', { live: 3, wanted: { 1: 2 } })], ['a between 1']],
    ['one that two parts want is divided', [folder('a', { live: 3, wanted: { 1: 2, 0: 1 } })], ['a between 0,1']],
    ['one that was chosen moves, empty or not', [folder('a', { chosen: 2 }), folder('b', { live: 2, chosen: 0 })], ['a to 2', 'b to 0']],
    [
      'what lies deeper counts',
      [folder('a', { live: 1, wanted: { 0: 1 } }), folder('b', { parentId: 'a', live: 2, wanted: { 0: 2 } })],
      ['a to 0'],
    ],
    [
      'of a divided one those inside move, are divided or stay',
      [
        folder('a', { live: 1 }),
        folder('b', { parentId: 'a', live: 2, wanted: { 0: 2 } }),
        folder('c', { parentId: 'a', live: 2, wanted: { 0: 1 } }),
        folder('d', { parentId: 'a', live: 2 }),
      ],
      ['a between 0', 'b to 0', 'c between 0'],
    ],
    [
      'what is around a chosen one is divided',
      [folder('a', { live: 1 }), folder('b', { parentId: 'a', chosen: 1 })],
      ['a between 1', 'b to 1'],
    ],
  ];
  for (const [name, folders, expected] of rows) it(name, () => expect(told(folders)).toEqual(expected));

  const tree = fc
    .array(fc.record({ up: fc.nat(), live: fc.nat(4), wanted: fc.array(fc.nat(2), { maxLength: 4 }) }), { minLength: 1, maxLength: 12 })
    .map((rowsOf) =>
      rowsOf.map(({ up, live, wanted }, i): SplitFolder => {
        const taken = wanted.slice(0, live);
        const counts = new Map<number, number>();
        for (const part of taken) counts.set(part, (counts.get(part) ?? 0) + 1);
        return { id: String(i), parentId: i === 0 || up % (i + 1) === i ? null : String(up % (i + 1)), live, wanted: counts, chosen: null };
      }),
    );
  it('moves all that is wanted, and nothing else', () => {
    fc.assert(
      fc.property(tree, (folders) => {
        const steps = new Map(splitSteps(folders).map((s) => [s.folderId, s]));
        const byId = new Map(folders.map((f) => [f.id, f]));
        for (const f of folders) {
          let movedBy: number | null = null;
          for (let at: SplitFolder | undefined = f; at; at = at.parentId === null ? undefined : byId.get(at.parentId)) {
            const step = steps.get(at.id);
            if (step?.what === 'moves') movedBy = step.part;
          }
          if (movedBy !== null) {
            if (f.live > 0) expect([...f.wanted]).toEqual([[movedBy, f.live]]);
          } else if (f.wanted.size > 0) {
            const step = steps.get(f.id)!;
            expect(step.what).toBe('divided');
            expect([...f.wanted.keys()].every((part) => step.what === 'divided' && step.parts.includes(part))).toBeTrue();
          }
        }
      }),
    );
  });
});
