import * as fc from 'fast-check';
import type { EpochDay } from '../calendar/index.js';
import { matches, surelyMatches, type Criteria, type CriteriaRecord, type PartlyKnown } from './index.js';
import { anyCriteria, anyRecord } from './testing/index.js';
import { material } from './testing/material.js';

describe('what surely matches', () => {
  const words = (text: string): Criteria => ({ op: 'words', text });
  const not = (of: Criteria): Criteria => ({ op: 'not', of });
  const known = (more: Partial<PartlyKnown> = {}): PartlyKnown => ({ words: new Set(['lease', 'quay']), ...more });
  const rows: [string, Criteria, PartlyKnown, boolean][] = [
    ['a word that is there', words('lease quay'), known(), true],
    ['no word that is not there yet', words('lease pier'), known(), false],
    ['nothing for a word that may still come', not(words('pier')), known(), false],
    ['nothing that a word rules out', not(words('quay')), known(), false],
    ['a beginning', { op: 'words', text: 'qua', prefix: true }, known(), true],
    ['a place that is known', { op: 'under', placeId: 'p', name: '' }, known({ places: new Set(['p']) }), true],
    ['nothing outside of a place that is known', not({ op: 'under', placeId: 'q', name: '' }), known({ places: new Set(['p']) }), true],
    ['nothing outside of a place while none is known', not({ op: 'under', placeId: 'q', name: '' }), known(), false],
    ['its depositor', { op: 'person', field: 'depositor', personId: 'ann' }, known({ depositor: 'ann' }), true],
    ['a type only when it is known', { op: 'is', field: 'recordType', value: 'note' }, known(), false],
    ['a type that is known', { op: 'is', field: 'recordType', value: 'note' }, known({ recordType: 'note' }), true],
    ['nothing about a title that may change', not({ op: 'text', field: 'title', how: 'is', value: 'x' }), known(), false],
    ['a day that is known', { op: 'between', field: 'created', until: '2020-01-01' }, known({ dates: { created: 0 as EpochDay } }), true],
    ['nothing about a day that is not', not({ op: 'between', field: 'due' }), known({ dates: { created: 0 as EpochDay } }), false],
    ['a fact in a range', { op: 'factBetween', fact: 'tons', from: 4 }, known({ facts: { tons: 5 } }), true],
    ['nothing about another fact', not({ op: 'factBetween', fact: 'berth' }), known({ facts: { tons: 5 } }), false],
    ['one of two', { op: 'or', of: [{ op: 'is', field: 'recordType', value: 'note' }, words('quay')] }, known(), true],
    ['both only when both are known', { op: 'and', of: [{ op: 'is', field: 'recordType', value: 'note' }, words('quay')] }, known(), false],
    ['everything where nothing is asked', { op: 'and', of: [] }, known(), true],
    ['nothing about gaps or holds', not({ op: 'held' }), known(), false],
  ];
  for (const [name, criteria, record, expected] of rows) it(`is ${name}`, () => expect(surelyMatches(criteria, record)).toBe(expected));

  it('is matched by every record that it comes to be', () => {
    fc.assert(
      fc.property(
        anyCriteria(material),
        anyRecord(material),
        fc.subarray(['places', 'recordType', 'owner', 'depositor', 'dates', 'facts', 'medium', 'state'] as const),
        (criteria, record, keys) => {
          const part = {
            words: new Set([...record.words].slice(0, 2)),
            ...Object.fromEntries(keys.map((key) => [key, (record as CriteriaRecord)[key]])),
          } as PartlyKnown;
          if (surelyMatches(criteria, part)) expect(matches(criteria, record)).toBeTrue();
        },
      ),
      { numRuns: 2000 },
    );
    expect(surelyMatches({ op: 'or', of: [] }, known())).toBeFalse();
  });
});
