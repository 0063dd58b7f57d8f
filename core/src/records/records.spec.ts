import * as fc from 'fast-check';
import {
  dublinCoreElements,
  dublinCoreOf,
  factGaps,
  factProblems,
  longestFileName,
  readAs,
  refusalFor,
  tidyFileName,
  titleFromFileName,
  type FactDefinition,
  type RecordAct,
  type RecordStanding,
} from './index.js';

const standing = (changes: Partial<RecordStanding> = {}): RecordStanding => ({
  state: 'working',
  holds: 0,
  freeze: false,
  frozenWhenDeclared: ['content', 'facts', 'moving'],
  ...changes,
});
const change: RecordAct = { kind: 'change', part: 'content' };

describe('what a record’s standing allows', () => {
  const table: [string, RecordAct, RecordStanding, string | null][] = [
    ['a working record changes', change, standing(), null],
    ['a declared one does not', change, standing({ state: 'declared' }), 'record-declared'],
    [
      '…unless the place leaves that part free',
      { kind: 'change', part: 'facts' },
      standing({ state: 'declared', frozenWhenDeclared: ['content'] }),
      null,
    ],
    ['a hold alone does not stop edits', change, standing({ holds: 1 }), null],
    ['a hold with freeze does', change, standing({ holds: 1, freeze: true }), 'record-frozen'],
    ['a held record is not disposed of', { kind: 'dispose' }, standing({ state: 'declared', holds: 2 }), 'record-held'],
    ['a free one may be', { kind: 'dispose' }, standing({ state: 'declared' }), null],
    ['declaring twice', { kind: 'declare' }, standing({ state: 'declared' }), 'already-declared'],
    ['revoking a working one', { kind: 'revoke', reason: 'x' }, standing(), 'not-declared'],
    ['revoking a held one', { kind: 'revoke', reason: 'x' }, standing({ state: 'declared', holds: 1 }), 'record-held'],
    ['revoking without a reason', { kind: 'revoke', reason: ' ' }, standing({ state: 'declared' }), 'reason-missing'],
    ['revoking with one', { kind: 'revoke', reason: 'filed in error' }, standing({ state: 'declared' }), null],
  ];
  for (const [name, act, where, code] of table) {
    it(name, () => expect(refusalFor(act, where)?.code ?? null).toBe(code));
  }
  it('a disposed record refuses everything', () => {
    const acts: RecordAct[] = [change, { kind: 'declare' }, { kind: 'revoke', reason: 'x' }, { kind: 'dispose' }];
    for (const act of acts) expect(refusalFor(act, standing({ state: 'disposed' }))?.code).toBe('record-disposed');
  });
});

describe('file names', () => {
  const table: [string, string][] = [
    ['report.pdf', 'report.pdf'],
    ['../../etc/passwd', 'passwd'],
    ['C:\\temp\\log.txt', 'log.txt'],
    ['a\u0000b\u001b[31m.txt', 'ab[31m.txt'],
    ['invoice\u202Efdp.exe', 'invoicefdp.exe'],
    ['..', 'unnamed'],
    ['  ', 'unnamed'],
    ['logs/', 'unnamed'],
    ['Übersicht.docx', 'Übersicht.docx'],
  ];
  for (const [raw, name] of table) it(JSON.stringify(raw), () => expect(tidyFileName(raw).name).toBe(name));

  it('of any kind become safe and short, and say what was changed', () => {
    fc.assert(
      fc.property(fc.string({ unit: 'binary', maxLength: 400 }), (raw) => {
        const { name, changed } = tidyFileName(raw);
        expect(name.length).toBeGreaterThan(0);
        expect(name.length).toBeLessThanOrEqual(longestFileName);
        expect(name).not.toMatch(/[/\\\p{Cc}]/u);
        if (name !== raw.normalize('NFC').trim()) expect(changed.length).toBeGreaterThan(0);
      }),
    );
  });
  it('keep their ending when shortened', () => {
    const { name } = tidyFileName(`${'x'.repeat(300)}.pdf`);
    expect(name.endsWith('….pdf')).toBeTrue();
    expect(name.length).toBe(longestFileName);
  });
  it('give a title', () => {
    expect(titleFromFileName('berth_lease_4.signed.pdf')).toBe('berth lease 4.signed');
    expect(titleFromFileName('.profile')).toBe('.profile');
  });
});

describe('facts', () => {
  const definitions: FactDefinition[] = [
    { code: 'vessel', title: 'Vessel', kind: 'text', required: true },
    { code: 'tons', title: 'Tons', kind: 'whole', required: false },
    { code: 'draught', title: 'Draught', kind: 'decimal', required: false },
    { code: 'signed', title: 'Signed on', kind: 'date', required: true },
    { code: 'shore', title: 'Shore', kind: 'choice', required: false, choices: ['north', 'south'] },
    { code: 'urgent', title: 'Urgent', kind: 'yesNo', required: false },
  ];
  it('of the right kinds are fine', () => {
    const facts = { vessel: 'Ottoline', tons: 12, draught: 2.5, signed: '2024-02-29', shore: 'north', urgent: false };
    expect(factProblems(definitions, facts)).toEqual([]);
    expect(factGaps(definitions, facts)).toEqual([]);
  });
  it('of wrong kinds are each named', () => {
    const facts = { vessel: 3, tons: 1.5, draught: NaN, signed: '2023-02-29', shore: 'east', urgent: 'yes', colour: 'red' };
    expect(factProblems(definitions, facts).map((p) => p.fact)).toEqual(Object.keys(facts));
  });
  it('that are required and missing are gaps', () => {
    expect(factGaps(definitions, { vessel: '' })).toEqual(['Vessel', 'Signed on']);
  });
});

describe('Dublin Core', () => {
  const type = {
    title: 'Permit',
    facts: [
      { code: 'holder', title: 'Holder', kind: 'text', required: true, dublinCore: 'contributor' },
      { code: 'area', title: 'Area', kind: 'text', required: false, dublinCore: 'coverage' },
      { code: 'volume', title: 'Volume', kind: 'whole', required: false },
      { code: 'odd', title: 'Odd', kind: 'text', required: false, dublinCore: 'provenance' },
    ] as FactDefinition[],
  };
  const record = { number: 'DRG-01/2024/0001', title: 'Dredging permit 7', createdOn: '2024-02-29' };

  it('says what every record is, then the facts that name an element', () => {
    const facts = { holder: 'Lothmere Dredging', area: 'outer bar', volume: 12, odd: 'x' };
    expect(dublinCoreOf({ ...record, facts }, type)).toEqual([
      ['identifier', 'DRG-01/2024/0001'],
      ['title', 'Dredging permit 7'],
      ['date', '2024-02-29'],
      ['type', 'Permit'],
      ['contributor', 'Lothmere Dredging'],
      ['coverage', 'outer bar'],
    ]);
  });
  it('leaves out what has no value', () => {
    const elements = dublinCoreOf({ ...record, facts: { holder: '', volume: 0 } }, type).map(([element]) => element);
    expect(elements).toEqual(['identifier', 'title', 'date', 'type']);
  });
  it('has fifteen elements', () => expect(new Set(dublinCoreElements).size).toBe(15));
});

describe('content', () => {
  const rows: [string, string][] = [
    ['application/pdf', 'pages'],
    ['image/tiff', 'pages'],
    ['image/svg+xml', 'pages'],
    ['text/html', 'text'],
    ['text/plain', 'text'],
    ['message/rfc822', 'text'],
    ['application/json', 'text'],
    ['image/heic', 'nothing'],
    ['application/zip', 'nothing'],
    ['application/vnd.openxmlformats-officedocument.wordprocessingml.document', 'nothing'],
    ['application/octet-stream', 'nothing'],
  ];
  for (const [mediaType, as] of rows) it(`of ${mediaType} is read as ${as}`, () => expect(readAs(mediaType)).toBe(as as 'text'));
});
