import { createHash } from 'node:crypto';
import { holds, identity, ledger, receiving, records, setup, steps } from '@key-cellar/contract';
import { isMessage, languages, message, type Code } from '@key-cellar/words';
import { de } from '@key-cellar/words/de';
import { en } from '@key-cellar/words/en';
import { pseudo, pseudoCatalogue, pseudoMessage } from '@key-cellar/words/pseudo';
import { speaker } from '@key-cellar/words/speaker';
import { spoken } from '@key-cellar/words/spoken';
import { inEnglish, speakerOf } from '../src/kernel/index.js';
import { makeWorld, problemOf, type Refused, type World } from './support/world.js';

/** Everything that any message takes, by its name: counts are numbers, all else a text. */
const anything = new Proxy<Record<string, string | number>>({}, { get: (_, name) => (isCount(String(name)) ? 2 : 'x'), has: () => true });
const counts = new Set<string>();
for (const pattern of [...Object.values(en), ...Object.values(de)])
  for (const [, name] of pattern.matchAll(/\{(\w+), (?:plural|selectordinal)/g)) counts.add(name!);
const isCount = (name: string): boolean => counts.has(name);
/** Whether every letter was gone over. */
const isPseudo = (text: string): boolean => !/[a-z]/i.test(text);
const namesIn = (pattern: string): string[] => [...new Set([...pattern.matchAll(/\{(\w+)[,}]/g)].map((m) => m[1]!))];

describe('messages', () => {
  for (const language of languages)
    it(`can all be said in ${language}, with nothing left open`, () => {
      const { say } = speakerOf(language);
      const catalogue: Readonly<Record<string, string>> = language === 'en' ? en : de;
      for (const [code, pattern] of Object.entries(catalogue)) {
        const values = Object.fromEntries(namesIn(pattern).map((name) => [name, anything[name]!]));
        expect(say(message(code as Code, values)))
          .withContext(code)
          .not.toMatch(/undefined|plural,|select,/);
      }
    });

  it('take days, periods, lists, sizes and months by the rules of each language', () => {
    const values = [
      { day: '2026-09-14' },
      { day: '0099-03-01' },
      { day: '10009-12-31' },
      { day: '999999-01-01' },
      { period: 'P1Y6M' },
      { period: 'P0D' },
      { all: ['a', 'b', 'c'] },
      { any: ['a', 'b'] },
      { list: ['a', message('shared.others')] },
      { bytes: 2_500_000 },
      { bytes: 12 },
      { month: 3 },
      1234,
      'as it is',
    ];
    expect(values.map((v) => speaker('en', en).word(v))).toEqual([
      '14 Sep 2026',
      '1 Mar 99',
      '31 Dec 10009',
      '999999-01-01',
      '1 year and 6 months',
      'no time',
      'a, b and c',
      'a or b',
      'a, others',
      '2.5 MB',
      '12 bytes',
      'March',
      '1,234',
      'as it is',
    ]);
    expect(values.map((v) => speaker('de', de).word(v))).toEqual([
      '14. Sept. 2026',
      '1. März 99',
      '31. Dez. 10009',
      '999999-01-01',
      '1 Jahr und 6 Monate',
      'keine Zeit',
      'a, b und c',
      'a oder b',
      'a, weitere',
      '2,5 MB',
      '12 Byte',
      'März',
      '1.234',
      'as it is',
    ]);
  });

  it('are replaced at any depth, and what holds none is handed on as it is', () => {
    const plain = { a: [1, { b: 'x' }], c: null, d: new Date(0) };
    expect(spoken(plain, inEnglish)).toBe(plain as never);
    const told = { lines: [{ why: message('problem.notSignedIn'), n: 1 }] };
    expect(spoken(told, inEnglish)).toEqual({ lines: [{ why: 'Sign in first.', n: 1 }] });
    expect(isMessage({ say: 1 })).toBeFalse();
  });

  it('are longer by two fifths in the pseudo-language, without a letter that nobody went over; what is put in stays', () => {
    expect(isPseudo(pseudo('Held records stay.'))).toBeTrue();
    expect(pseudo('Held records stay.').length).toBeGreaterThanOrEqual(Math.floor('Held records stay.'.length * 1.4));
    expect(pseudo('  ·  ')).toBe('  ·  ');
    expect(namesIn(pseudoMessage('{n, plural, one {{name} waits} other {# wait}} for {name}'))).toEqual(['n', 'name']);
    const longer = speaker('en', pseudoCatalogue(en));
    for (const [code, pattern] of Object.entries(en)) {
      const values = Object.fromEntries(namesIn(pattern).map((name) => [name, isCount(name) ? 2 : '7']));
      expect(isPseudo(longer.say(message(code as Code, values)).replace(/destroy|transfer/g, '')))
        .withContext(code)
        .toBeTrue();
    }
  });
});

describe('the language of an answer', () => {
  let world: World;
  beforeAll(async () => {
    world = await makeWorld();
  });
  afterAll(() => world.stop());

  it('is the one that the person chose, everywhere and until they choose another', async () => {
    const reader = world.as('reader');
    const { id } = await world.file('editor');
    const declare = () =>
      problemOf(reader.call(records.editFacts, { params: { id }, body: { title: 'x', createdOn: '2024-01-01', facts: {}, revision: 1 } }));
    expect(await declare()).toBe('This needs the right “edit” here. A keeper can grant it.');
    await reader.call(identity.setLanguage, { body: { language: 'de' } });
    expect((await reader.call(identity.me)).language).toBe('de');
    expect(await declare()).toBe('Dafür braucht es hier das Recht „bearbeiten“. Ein Verwalter kann es gewähren.');
    expect((await reader.call(records.dossier, { params: { id } })).accessWhy).toMatch(/^Darf davon wissen, lesen, als Leser auf /);
    await reader.call(identity.setLanguage, { body: { language: null } });
    expect(await declare()).toBe('This needs the right “edit” here. A keeper can grant it.');
  });

  it('leaves alone what people wrote, however much it looks like a message', async () => {
    const [keeper, editor] = [world.as('keeper'), world.as('editor')];
    await keeper.call(setup.makeType, {
      body: { code: 'speech', title: 'Speech', facts: [{ code: 'say', title: 'Say', kind: 'text', required: false }] },
    });
    for (const text of ['problem.busy', 'no such message', 'problem.notFound']) {
      const filing = { title: text, recordType: 'speech', placeId: world.ids.A01, createdOn: '2025-01-10', facts: { say: text } };
      const arrivalId = await editor.upload(`${text}.txt`, text);
      const { results } = await editor.call(receiving.file, { body: { filings: [{ arrivalId, ...filing }] } });
      expect((await editor.call(records.dossier, { params: { id: results[0]!.recordId! } })).facts).toEqual({ say: text });
    }
    // What the ledger keeps is told as it was sealed: nothing of it is put into words on the way.
    const { entries } = await world.as('auditor').call(ledger.entries, { query: { limit: 500 } });
    expect(entries.some((entry) => JSON.stringify(entry.after).includes('"say":"problem.busy"'))).toBeTrue();
  });

  it('is that of the ledger too, whose acts keep their names', async () => {
    const auditor = world.as('auditor');
    await world.file('editor', { title: 'Seen' });
    await auditor.call(identity.setLanguage, { body: { language: 'de' } });
    const { acts } = await auditor.call(ledger.acts);
    const unsaid = acts.filter(({ act }) => !Object.hasOwn(de, `act.${act}`));
    expect(unsaid).toEqual([]);
    // Two of one name could not be told apart where one is chosen.
    expect(new Set(acts.map((a) => a.words)).size).toBe(acts.length);
    const { entries } = await auditor.call(ledger.entries, { query: { act: 'filed', limit: 1 } });
    expect([entries[0]!.act, entries[0]!.words]).toEqual(['filed', 'abgelegt']);
    await auditor.call(identity.setLanguage, { body: { language: null } });
  });

  it('is that of what is printed', async () => {
    const printed = async (language: string): Promise<string> => {
      const answer = await world.as('keeper').fetch('/api/plan/export?format=pdf', { headers: { 'accept-language': language } });
      const bytes = Buffer.from(await answer.arrayBuffer());
      const sha256 = createHash('sha256').update(bytes).digest();
      return (await world.services.pages.text({ sha256, mediaType: 'application/pdf', load: () => Promise.resolve(bytes) })).text;
    };
    expect(await printed('de')).toMatch(/Aktenplan\s+Stand vom [\s\S]*Seite 1 von 1/);
    expect(await printed('en')).toMatch(/File plan\s+As it stood on [\s\S]*page 1 of 1/);
  });

  it('is that of a program which asks for it, and tells it the code and what goes into it as well', async () => {
    const answer = await world.as('reader').fetch(`/api/records/${world.ids.root}`, { headers: { 'accept-language': 'de-AT, en;q=0.5' } });
    const problem = (await answer.json()) as Record<string, unknown>;
    expect([problem['title'], problem['detail']]).toEqual([
      'Nicht gefunden',
      'Diese Unterlage gibt es hier nicht, oder der Zugang fehlt Ihnen.',
    ]);
    expect(problem['message']).toEqual({ code: 'problem.notFound', values: { what: { say: 'thing.record' } } });
  });

  it('is that of whoever gets a letter', async () => {
    await world.as('editor').call(identity.setLanguage, { body: { language: 'de' } });
    const { id: matterId } = await world
      .as('counsel')
      .call(holds.makeMatter, { body: { code: 'M-1', title: 'Ottoline', kind: 'case', note: '' } });
    const { id } = await world.file('editor');
    const custodianIds = [world.ids.editor, world.ids.reader];
    const body = { matterId, name: 'Ottoline', reason: 'The court asked.', recordIds: [id], custodianIds, freeze: false };
    await world.as('counsel').call(holds.placeHold, { body });
    const subjectFor = async (login: 'editor' | 'reader') => (await world.as(login).call(identity.messages)).messages[0]!.subject;
    expect([await subjectFor('editor'), await subjectFor('reader')]).toEqual(['Sperre: Ottoline', 'Hold: Ottoline']);
    await world.as('editor').call(identity.setLanguage, { body: { language: null } });
  });

  it('never holds a text of the validator', async () => {
    const inputs: unknown[] = [
      {},
      { groupKey: 3 },
      { noticeDays: 'x' },
      { recordIds: 'no' },
      { reason: '' },
      null,
      [],
      { on: '2026-02-30' },
    ];
    for (const endpoint of [holds.placeHold, records.revoke, steps.recompute, identity.setLanguage, holds.makeMatter])
      for (const body of inputs) {
        const call = world.as('keeper').call(endpoint as typeof holds.makeMatter, { body: body as never });
        const refused = await call.then(
          () => null,
          (error: unknown) => error as Refused,
        );
        const said = [refused?.problem.detail ?? '', ...(refused?.problem.fields ?? []).map((f) => f.sentence)].join(' ');
        expect(said)
          .withContext(`${endpoint.path} ${JSON.stringify(body)}`)
          .not.toMatch(/invalid|received|undefined|input\./i);
      }
  });
});
