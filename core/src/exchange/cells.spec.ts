import fc from 'fast-check';
import { cellOf, valueOf, type Shape } from './index.js';

const of = (kind: 'text' | 'number' | 'flag' | 'reference' | 'open', nullable = false): Shape => ({ kind, nullable });
const list = (one: Shape): Shape => ({ kind: 'list', of: one, nullable: false });
const parts = (all: Readonly<Record<string, Shape>> | null, nullable = false): Shape => ({ kind: 'parts', parts: all, nullable });

const grant = parts({ principal: of('reference'), profile: of('text'), from: of('text', true), caveats: list(of('text')) });
const registry = { refers: 'group', to: 'Registry' };

describe('a cell', () => {
  it('says things as people write them', () => {
    const cases: [value: unknown, shape: Shape, cell: string][] = [
      ['Letters', of('text'), 'Letters'],
      [null, of('text', true), ''],
      [2, of('number'), '2'],
      [true, of('flag'), 'yes'],
      [false, of('flag'), 'no'],
      [registry, of('reference'), 'group Registry'],
      [['b', 'a'], list(of('text')), 'b; a'],
      [['a;b', 'c'], list(of('text')), '"a;b"; c'],
      [[registry, { refers: 'person', to: 'ines' }], list(of('reference')), 'group Registry; person ines'],
      [[], list(of('text')), ''],
      [{ level: 2, caveats: ['legal'] }, parts({ level: of('number'), caveats: list(of('text')) }), 'level: 2 | caveats: ["legal"]'],
      [
        [
          { principal: registry, profile: 'keeper', from: null, caveats: [] },
          { principal: registry, profile: 'reader', from: '2026-01-01', caveats: ['a|b'] },
        ],
        list(grant),
        'principal: group Registry | profile: keeper | caveats: []\nprincipal: group Registry | profile: reader | from: 2026-01-01 | caveats: ["a|b"]',
      ],
      [{ owner: 'Ines', size: 12, code: '12' }, parts(null), 'owner: Ines | size: 12 | code: "12"'],
      [{}, parts(null), ''],
      [{}, parts(null, true), '{}'],
      [{ 'a: b': 1 }, parts(null), '{"a: b":1}'],
      [{ any: ['thing'] }, of('open'), '{"any":["thing"]}'],
      ['yes', of('open'), 'yes'],
      ['true', of('open'), '"true"'],
    ];
    for (const [value, shape, cell] of cases) {
      expect(cellOf(value, shape)).toBe(cell);
      expect(valueOf(cell, shape)).withContext(cell).toEqual({ ok: true, value });
    }
  });

  it('takes what is written by hand', () => {
    const cases: [cell: string, shape: Shape, value: unknown][] = [
      [' a ;b;; c ', list(of('text')), ['a', 'b', 'c']],
      [
        'profile:keeper|principal:  group Registry | caveats: []',
        grant,
        { principal: registry, profile: 'keeper', from: null, caveats: [] },
      ],
      ['Yes', of('flag'), true],
      ['', parts(null), {}],
      ['', parts({}, true), null],
      ['__proto__: 1', parts(null), JSON.parse('{"__proto__":1}')],
    ];
    for (const [cell, shape, value] of cases) expect(valueOf(cell, shape)).withContext(cell).toEqual({ ok: true, value });
  });

  it('that says nothing which may stand there cannot be read', () => {
    const cases: [cell: string, shape: Shape][] = [
      ['many', of('number')],
      ['1e999', of('number')],
      ['perhaps', of('flag')],
      ['', of('flag')],
      ['', of('number')],
      ['Registry', of('reference')],
      ['team Registry', of('reference')],
      ['group Registry; nobody', list(of('reference'))],
      ['"a', list(of('text'))],
      ['profile', grant],
      [': keeper', grant],
      ['profile: a | profile: b', grant],
      ['salary: a', grant],
      ['constructor: a', grant],
      ['caveats: [', grant],
      ['profile: "a', grant],
      ['"12"; b', list(of('number'))],
    ];
    for (const [cell, shape] of cases) expect(valueOf(cell, shape)).withContext(cell).toEqual({ ok: false });
  });

  it('is read as what was written, whatever it was', () => {
    const text = fc.string({ unit: 'grapheme' }).map((one) => one.trim());
    const filled = text.filter((one) => one !== '');
    const reference = fc.record({ refers: fc.constantFrom('person', 'place', 'record'), to: filled });
    const json = fc.jsonValue().map((one) => JSON.parse(JSON.stringify(one)) as unknown);
    const open = fc.oneof(json, text).filter((one) => one !== null);
    const several: [Shape, fc.Arbitrary<unknown>][] = [
      [of('text'), text],
      [of('number'), fc.double({ noNaN: true, noDefaultInfinity: true }).map((n) => (Object.is(n, -0) ? 0 : n))],
      [of('reference'), reference],
      [of('open'), open],
      [list(of('text')), fc.array(text)],
      [list(of('reference')), fc.array(reference)],
      [list(of('open')), fc.array(open)],
      [list(list(of('text'))), fc.array(fc.array(text))],
      [parts(null), fc.dictionary(fc.string(), open)],
      [list(parts(null)), fc.array(fc.dictionary(fc.string(), open))],
      [
        list(parts({ a: of('text'), b: of('reference', true), c: list(of('text')), d: of('flag') })),
        fc.array(
          fc.record({ a: text, b: fc.option(reference), c: fc.array(text), d: fc.boolean() }).map(({ a, b, c, d }) => ({ a, b, c, d })),
        ),
      ],
    ];
    for (const [shape, values] of several)
      fc.assert(
        fc.property(values, (value) => {
          expect(valueOf(cellOf(value, shape), shape)).toEqual({ ok: true, value });
        }),
      );
  });
});
