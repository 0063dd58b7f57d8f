import { TestBed } from '@angular/core/testing';
import type { TypePage as Type } from '@key-cellar/contract';
import type { FactDefinition } from '@key-cellar/core/records';
import { Stage, testingProviders } from '../kit/testing';
import { EntitiesPage } from './entitiesPage';
import { EntityPage } from './entityPage';
import { FactFields } from './factFields';
import { FactForm } from './factForm';
import { FactWordsPipe } from './factWords';
import { ThingField } from '../kit/thingField';
import { TypePage } from './typePage';
import { TypesPage } from './typesPage';

const fact = (code: string, kind: FactDefinition['kind'], more: Partial<FactDefinition> = {}): FactDefinition => ({
  code,
  title: code.replace(/^./, (c) => c.toUpperCase()),
  kind,
  required: false,
  ...more,
});
const direction = fact('direction', 'choice', { choices: ['in', 'out'], required: true });
const sent = fact('sent', 'date', { onlyWhen: { fact: 'direction', values: ['out'] } });
const receipt = fact('receipt', 'text', { onlyWhen: { fact: 'sent', values: [] } });

describe('fields of facts', () => {
  beforeEach(() => TestBed.configureTestingModule({ providers: testingProviders }));
  const show = (facts: FactDefinition[], values = {}, inputs = {}) => Stage.show(FactFields, { facts, values, ...inputs });
  const labels = (stage: Stage<unknown>): string[] =>
    [...stage.host.querySelectorAll('label')].map((l) => l.textContent!.replace(/\s+/g, ' ').trim());
  const value = (stage: Stage<FactFields>) => stage.fixture.componentInstance.values();

  it('ask only what applies, and let go of what does not any more', async () => {
    const stage = await show([direction, sent, receipt], { direction: 'out', sent: '2026-01-01', receipt: 'R-1' });
    expect(labels(stage)).toEqual(['Direction (required)', 'Sent', 'Receipt']);
    await stage.choose('fact-direction', 'in');
    expect(value(stage)).toEqual({ direction: 'in' });
    expect(labels(stage)).toEqual(['Direction (required)']);
  });

  it('give numbers as numbers, and leave out what is empty', async () => {
    const stage = await show([
      fact('volume', 'whole'),
      fact('rent', 'money', { currency: 'EUR', min: 0 }),
      fact('name', 'text', { mask: '@@-##', help: 'As on the plate.' }),
    ]);
    await stage.type('#fact-volume', '14');
    await stage.type('#fact-rent', '6000.5');
    await stage.type('#fact-name', 'ML-04');
    expect(value(stage)).toEqual({ volume: 14, rent: 6000.5, name: 'ML-04' });
    await stage.type('#fact-name', '');
    expect(value(stage)).toEqual({ volume: 14, rent: 6000.5 });
    expect(stage.text()).toContain('As on the plate.');
    expect(labels(stage)[1]).toBe('Rent, EUR');
  });

  it('show a tree of choices by its branches', async () => {
    const stage = await show([fact('by', 'choice', { choices: ['Radio', 'Radio / Channel 12', 'Letter'] })]);
    const offered = await stage.offered('fact-by');
    const options = offered.flatMap((o) => [...o.querySelectorAll('span')]).filter((o) => o.style.paddingInlineStart !== '');
    expect(options.map((o) => [o.textContent!.trim(), o.style.paddingInlineStart])).toEqual([
      ['Radio', '0px'],
      ['Channel 12', '16px'],
      ['Letter', '0px'],
    ]);
    offered[1]!.click();
    await stage.settle();
    expect(value(stage)).toEqual({ by: 'Radio / Channel 12' });
  });

  it('say what is wrong beside the field', async () => {
    expect((await show([direction], {}, { wrong: { direction: 'Direction must be one of in, out.' } })).text()).toContain(
      'must be one of in, out',
    );
  });

  it('point at things by their names, and keep quiet about what one may not see', async () => {
    const stage = await Stage.show(ThingField, {
      field: 'f',
      kind: 'party',
      many: true,
      value: ['a', 'b'],
      names: { a: 'Brae Chandlery' },
    });
    expect(stage.text()).toContain('Brae Chandlery');
    expect(stage.text()).toContain('(hidden from you)');
  });

  it('are read as people read them', () => {
    TestBed.runInInjectionContext(() => {
      const pipe = new FactWordsPipe();
      expect(pipe.transform(6000.5, fact('x', 'money', { currency: 'EUR' }))).toBe('6,000.50 EUR');
      expect(pipe.transform('2026-09-14', fact('x', 'date'))).toBe('14 Sep 2026');
      expect(pipe.transform(false, fact('x', 'yesNo'))).toBe('no');
      expect(pipe.transform(['a', 'b'], fact('x', 'party', { many: true }), { a: 'Brae' })).toBe('Brae, (hidden from you)');
      expect(pipe.transform(undefined, fact('x', 'text'))).toBe('');
    });
  });
});

describe('a record type', () => {
  beforeEach(() => TestBed.configureTestingModule({ providers: testingProviders }));
  const type: Type = {
    code: 'letter',
    title: 'Letter',
    version: 2,
    facts: [direction, sent],
    retiredOn: null,
    records: 82,
    gaps: 3,
    versions: [
      { version: 2, title: 'Letter', facts: [direction, sent], publishedBy: 'Ines', publishedAt: '2026-08-28T09:00:00Z', records: 80 },
    ],
  };
  const show = async (who = {}): Promise<Stage<TypePage>> => {
    const stage = await Stage.show(TypePage, { code: 'letter' }, who);
    await stage.answer('/api/setup/types/letter', type);
    return stage;
  };

  it('is changed fact by fact, tried, and published only after its effect was seen', async () => {
    const stage = await show();
    expect(stage.text()).toContain('only when Direction is out');
    expect(() => stage.button(/Publish version 3 …/)).toThrow();
    await stage.press('Add a fact');
    await stage.type('#fact-title', 'Reference of theirs');
    expect(document.querySelector<HTMLInputElement>('#fact-code')!.value).toBe('referenceOfTheirs');
    await stage.press('Add it');
    await stage.press('Publish version 3 …');
    const tried = await stage.answer('/api/setup/types/letter', {
      effect: { records: 82, looked: 82, newGaps: 12, closedGaps: 0, unfitting: [{ fact: 'sent', records: 4 }] },
      version: 2,
      jobId: null,
    });
    expect(tried.request.body).toEqual(jasmine.objectContaining({ version: 2, dryRun: true }));
    const effect = document.querySelector('.effect')!.textContent!.replace(/\s+/g, ' ');
    expect(effect).toContain('12 get a gap.');
    expect(effect).toContain('“Sent”');
    await stage.press('Publish version 3');
    const body = (await stage.answer('/api/setup/types/letter', { effect: {}, version: 3, jobId: null })).request.body as {
      dryRun: boolean;
      facts: FactDefinition[];
    };
    expect([body.dryRun, body.facts.map((f) => f.code)]).toEqual([false, ['direction', 'sent', 'referenceOfTheirs']]);
  });

  it('says what is wrong with an order in which a fact stands before what it depends on', async () => {
    const stage = await show();
    await stage.press('Up: Sent');
    expect(stage.text()).toContain('Sent depends on a fact that does not come before it.');
    expect(stage.button(/Publish version 3 …/).disabled).toBeTrue();
    await stage.press('Discard the changes');
    expect(stage.text()).not.toContain('depends on a fact');
  });

  it('is only looked at by those who do not keep the repository', async () => {
    const stage = await show({ rights: ['discover', 'edit'] });
    expect(() => stage.button('Add a fact')).toThrow();
    expect(stage.text()).toContain('Direction');
  });

  it('stands in a list with its gaps', async () => {
    const stage = await Stage.show(TypesPage);
    await stage.answer('/api/setup/types', { types: [{ ...type, versions: undefined }] });
    expect(stage.text().replace(/ /g, '')).toContain('LetterDirection,Sent8232');
    await stage.press('New record type');
    await stage.type('#type-title', 'Tide table, daily');
    await stage.press('Create');
    expect(stage.http.expectOne('/api/setup/types').request.body).toEqual({
      code: 'tide-table-daily',
      title: 'Tide table, daily',
      facts: [],
    });
  });
});

describe('the form of a fact', () => {
  beforeEach(() => TestBed.configureTestingModule({ providers: testingProviders }));
  it('lets go of what belongs to another kind', async () => {
    const stage = await Stage.show(FactForm, {
      fact: fact('', 'text', { title: '', mask: '##' }),
      before: [direction],
      taken: [direction],
      isNew: true,
    });
    let made: FactDefinition | null = null;
    stage.fixture.componentInstance.done.subscribe((f) => (made = f));
    await stage.type('#fact-title', 'Rent');
    await stage.choose('fact-kind', 'amount');
    await stage.type('#fact-min', '0');
    await stage.choose('fact-when', 'Direction');
    await stage.press('Add it');
    expect(made as unknown).toEqual({
      code: 'rent',
      title: 'Rent',
      kind: 'money',
      required: false,
      currency: 'EUR',
      min: 0,
      onlyWhen: { fact: 'direction', values: [] },
    });
  });

  it('refuses a code that is taken, and a choice of nothing', async () => {
    const stage = await Stage.show(FactForm, {
      fact: fact('', 'text', { title: '' }),
      before: [direction],
      taken: [direction],
      isNew: true,
    });
    await stage.type('#fact-title', 'Direction');
    expect(stage.text()).toContain('which is taken');
    await stage.type('#fact-title', 'Side');
    await stage.choose('fact-kind', 'choice');
    expect(stage.text()).toContain('Side needs choices.');
    expect(stage.button('Add it').disabled).toBeTrue();
  });
});

describe('parties', () => {
  beforeEach(() => TestBed.configureTestingModule({ providers: testingProviders }));
  it('are added with a name of their own', async () => {
    const stage = await Stage.show(EntitiesPage, { kind: 'party' });
    await stage.answer('/api/entities', {
      entities: [{ id: 'e', kind: 'party', name: 'Brae Chandlery', code: 'C-0010', retiredOn: null, records: 11 }],
      more: false,
    });
    expect(stage.text().replace(/ /g, '')).toContain('BraeChandleryC-001011');
    await stage.press('Add one');
    await stage.type('#entity-name', 'brae chandlery');
    await stage.press('Add');
    await stage.refuse(
      '/api/entities',
      'There is one called brae chandlery already.',
      [{ pointer: '/name', sentence: 'There is one called brae chandlery already.' }],
      422,
    );
    expect(stage.sheet.textContent).toContain('There is one called');
  });

  it('have a page with what happened and what is kept about them', async () => {
    const stage = await Stage.show(EntityPage, { id: 'e' });
    const page = {
      id: 'e',
      kind: 'object',
      name: 'Tug Sable',
      code: '',
      note: 'Built 1998.',
      retiredOn: null,
      records: 0,
      revision: 3,
      newest: [],
      events: [],
    };
    await stage.answer('/api/entities/e', page);
    await stage.answer('/api/entities/e', {
      ...page,
      events: [
        { id: 'v', type: 'vessel scrapped', on: '2026-02-01', note: '', by: 'Ines', recordedAt: '', corrects: null, withdrawn: null },
      ],
    });
    expect(stage.text()).toContain('vessel scrapped');
    await stage.press('Change');
    await stage.type('#entity-name', 'Tug Sable II');
    await stage.press('Change it');
    expect(stage.http.expectOne('/api/entities/e').request.body).toEqual({
      revision: 3,
      name: 'Tug Sable II',
      code: '',
      note: 'Built 1998.',
      retired: false,
    });
  });
});
