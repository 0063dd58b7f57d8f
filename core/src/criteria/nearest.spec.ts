import { nearest } from './nearest.js';

describe('what was meant', () => {
  const names = ['berth', 'Berth lease', 'birth', 'broth', 'earth', 'PIL-03', 'held', 'log'];
  const table: [string, string[]][] = [
    ['', []],
    ['berth', ['berth', 'Berth lease', 'birth']],
    ['bert', ['Berth lease', 'berth', 'birth']],
    ['berthl', ['berth', 'birth']],
    ['breth', ['broth', 'berth', 'birth']],
    ['PIL 03', ['PIL-03']],
    ['pil-30', ['PIL-03']],
    ['hedl', ['held']],
    ['h', ['held']],
    ['lgo', []],
    ['lg', ['log']],
    ['lease', ['Berth lease']],
    ['ease', []],
    ['nothing of it', []],
  ];
  for (const [text, meant] of table) it(`“${text}”`, () => expect(nearest(text, names, (t) => t.toLowerCase())).toEqual(meant));

  it('is found through what makes no difference', () => {
    expect(nearest('é', ['E1', 'F1'], (t) => t.normalize('NFD').replace(/\p{M}/gu, '').toLowerCase())).toEqual(['E1']);
  });
});
