import type { Material } from './index.js';

/** Things that criteria can speak of, with names that are hard to read back. */
export const material: Material = {
  vocabulary: {
    recordTypes: [
      { id: 'statement', name: 'Witness statement' },
      { id: 'invoice', name: 'Service invoice' },
    ],
    facts: [
      { code: 'vessel', title: 'Vessel', kind: 'text' },
      { code: 'tons', title: 'Gross tons', kind: 'decimal' },
      { code: 'urgent', title: 'Urgent', kind: 'yesNo' },
      { code: 'expires', title: 'Expires', kind: 'date' },
      { code: 'side', title: 'Side of the sound', kind: 'choice', choices: ['Northshore', 'Southshore and islands'] },
      { code: 'state', title: 'State', kind: 'text' },
      { code: 'due-date', title: 'Due date', kind: 'date' },
      { code: 'tenant', title: 'Tenant', kind: 'party' },
      { code: 'craft', title: 'Craft', kind: 'object' },
      { code: 'note-1', title: 'Note', kind: 'longText' },
      { code: 'note-2', title: 'Note', kind: 'longText' },
    ],
    places: [
      { id: 'root', name: 'Marrowick' },
      { id: 'pil', name: 'PIL Pilotage', also: ['PIL'] },
      { id: 'ber', name: 'BER Berths and leases', also: ['BER'] },
    ],
    parties: [{ id: '00000000-0000-4000-8000-0000000000b1', name: 'Fenwick Aggregates' }],
    objects: [{ id: '00000000-0000-4000-8000-0000000000c1', name: 'Barge Ottoline' }],
    people: [
      { id: 'lune', name: 'Lune Abara' },
      { id: 'and', name: 'Nor And Or' },
      { id: 'odd', name: 'The “odd” one (left)' },
    ],
    holds: [{ id: 'h1', name: 'Grounding of the barge Ottoline' }],
    detectors: [
      { id: 'd1', name: 'Payment cards' },
      { id: 'd2', name: 'Held or not' },
    ],
  },
  words: ['ottoline', 'barge', 'café', 'PIL-03', 'größe', '14'],
  days: ['2019-01-01', '2019-05-07', '2019-12-31', '2020-02-29', '2026-09-14'],
  titles: ['Statement', 'not held', 'a “quoted” title', 'ends with space ', '(x)'],
  numbers: ['PIL-03/2019/0047', '12'],
  texts: ['Ottoline', 'is missing', '2020-02-29', 'a, b', 'yes', '”', '“ ”'],
};
