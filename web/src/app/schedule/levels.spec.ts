import { TestBed } from '@angular/core/testing';
import { Stage, testingProviders } from '../kit/testing';
import { CheckPage } from './checkPage';
import { CriteriaPage } from './criteriaPage';
import { EventList } from './eventList';
import { JurisdictionsPage } from './jurisdictionsPage';
import { asTree } from './jurisdictionTree';
import { OverrideSheet } from './overrideSheet';
import { PairsPage } from './pairsPage';
import { WaitingPage } from './waitingPage';

const vocabulary = {
  recordTypes: [{ id: 'note', name: 'Note' }],
  facts: [{ code: 'vessel', title: 'Vessel', kind: 'text' }],
  places: [],
  people: [],
  holds: [],
  detectors: [],
};
const rules = [
  {
    id: 'r1',
    code: 'R-1',
    version: 1,
    definition: { title: 'One', trigger: { kind: 'event', eventType: 'lease ended', occurrence: 'last' } },
    setOn: [],
    records: 0,
  },
];
const line = (order: number, id: string) => ({
  id,
  rule: { id: 'r1', code: `R-${id}`, title: 'One' },
  criteria: { op: 'fact', fact: 'vessel', value: 'Ottoline' },
  note: 'why',
  order,
});

describe('rules by criteria', () => {
  beforeEach(() => TestBed.configureTestingModule({ providers: testingProviders }));
  const show = async (lines: object[]): Promise<Stage<CriteriaPage>> => {
    const stage = await Stage.show(CriteriaPage);
    await stage.answer('/api/schedule/criteria', { rules: lines });
    await stage.answer('/api/rules', { rules });
    await stage.answer('/api/criteria/vocabulary', vocabulary);
    return stage;
  };

  it('are shown in words, in their order, and moved in it', async () => {
    const stage = await show([line(1, 'a'), line(2, 'b')]);
    expect(stage.text()).toContain('Vessel is Ottoline');
    expect(stage.button('Ask R-a earlier').disabled).toBeTrue();
    await stage.press('Ask R-a later');
    expect((await stage.answer('/api/schedule/criteria/a/move', { recomputed: 4 })).request.body).toEqual({ order: 2 });
    expect(stage.text()).toContain('4 records were recalculated.');
  });

  it('are set on what one writes, and keep it when it is refused', async () => {
    const stage = await show([]);
    expect(stage.text()).toContain('No rule is set by criteria');
    await stage.press('Set a rule by criteria');
    await stage.choose('criteria-rule', 'R-1 One');
    await stage.type('#rule-criteria', 'vessel is Quill');
    await stage.press('How many?');
    await stage.answer('/api/schedule/criteria/count', { count: 3 });
    expect(stage.sheet.textContent).toContain('3 records match now.');
    await stage.press('Set the rule');
    const request = await stage.refuse('/api/schedule/criteria', 'Not so.', undefined, 422);
    expect(request.request.body).toEqual({ ruleId: 'r1', criteria: { op: 'fact', fact: 'vessel', value: 'Quill' }, note: '' });
    expect(stage.sheet.textContent).toContain('Not so.');
    expect(document.querySelector<HTMLTextAreaElement>('#rule-criteria')!.value).toBe('vessel is Quill');
  });
});

describe('rules by type', () => {
  beforeEach(() => TestBed.configureTestingModule({ providers: testingProviders }));
  it('are listed and taken off', async () => {
    const stage = await Stage.show(PairsPage);
    const pair = {
      recordType: 'note',
      typeTitle: 'Note',
      seriesId: 's',
      code: 'PEO-07',
      title: 'Grievances',
      rule: { id: 'r1', code: 'R-1', title: 'One' },
    };
    await stage.answer('/api/schedule/pairs', { pairs: [pair] });
    expect([...stage.host.querySelectorAll('td')].map((td) => td.textContent!.trim()).slice(0, 3)).toEqual([
      'Note',
      'PEO-07 Grievances',
      'R-1 One',
    ]);
    await stage.press('Remove R-1');
    expect((await stage.answer('/api/schedule/pairs/unset', { recomputed: 1 })).request.body).toEqual({
      recordType: 'note',
      seriesId: 's',
      ruleId: 'r1',
    });
    expect(stage.text()).toContain('One record was recalculated.');
  });
});

describe('jurisdictions', () => {
  beforeEach(() => TestBed.configureTestingModule({ providers: testingProviders }));
  const all = [
    { name: 'Northshore', partOf: 'Sound', rules: 1, places: 0, calendar: null },
    { name: 'Sound', partOf: null, rules: 0, places: 2, calendar: null },
    { name: 'Quay', partOf: 'Northshore', rules: 0, places: 0, calendar: null },
  ];
  it('stand in a tree', () => {
    expect(asTree(all).map((j) => `${j.depth} ${j.name}`)).toEqual(['0 Sound', '1 Northshore', '2 Quay']);
  });
  it('are added, and what stands in the way of removing one is said', async () => {
    const stage = await Stage.show(JurisdictionsPage);
    await stage.answer('/api/jurisdictions', { jurisdictions: all });
    await stage.press('Remove Northshore');
    await stage.refuse('/api/jurisdictions/drop', 'Northshore is used by one rule.');
    expect(stage.text()).toContain('Northshore is used by one rule.');
    await stage.press('Add a jurisdiction');
    await stage.type('#jurisdiction-name', 'Southshore');
    await stage.choose('jurisdiction-part', 'Sound');
    await stage.press('Add it');
    expect((await stage.answer('/api/jurisdictions', {})).request.body).toEqual({ name: 'Southshore', partOf: 'Sound' });
  });
});

describe('who waits', () => {
  beforeEach(() => TestBed.configureTestingModule({ providers: testingProviders }));
  it('is told, and a table of events is tried before it is recorded', async () => {
    const stage = await Stage.show(WaitingPage, {}, { rights: ['discover', 'annotate'] });
    await stage.answer('/api/schedule/waiting', {
      waiting: [
        {
          trigger: 'event “lease ended”',
          eventType: 'lease ended',
          records: 7,
          places: [{ placeId: 'p', code: 'B-07', title: 'Berth 7', records: 7 }],
        },
      ],
    });
    expect(stage.text()).toContain('7 records have no date until something happens.');
    await stage.press('Record many events');
    await stage.type('#events-csv', 'place,type,on\nB,lease ended,2020-13-01');
    expect(stage.button('Record them').disabled).toBeTrue();
    await stage.press('Try it');
    await stage.answer('/api/events/import', {
      rows: 1,
      events: 0,
      errors: [{ row: 2, column: 'on', sentence: 'must be a date such as 2026-09-14' }],
      recomputed: 0,
    });
    expect(stage.sheet.textContent).toContain('must be a date such as 2026-09-14');
    expect(stage.button('Record events: 0').disabled).toBeTrue();
    await stage.type('#events-csv', 'place,type,on\nB-07,lease ended,2020-12-01');
    await stage.press('Try it');
    await stage.answer('/api/events/import', { rows: 1, events: 1, errors: [], recomputed: 0 });
    await stage.press('Record events: 1');
    expect((await stage.answer('/api/events/import', { rows: 1, events: 1, errors: [], recomputed: 7 })).request.body.dryRun).toBeFalse();
    expect(stage.text()).toContain('1 events were recorded, 7 records recalculated.');
  });
});

describe('the check', () => {
  beforeEach(() => TestBed.configureTestingModule({ providers: testingProviders }));
  it('groups what it found, and leads to where it is mended', async () => {
    const stage = await Stage.show(CheckPage);
    await stage.answer('/api/schedule/check', {
      findings: [
        { kind: 'ruleNeverUsed', sentence: 'Rule R-1 is in force, but set nowhere.', link: '/schedule/r1', records: 0 },
        {
          kind: 'typeWithoutRule',
          sentence: '3 records of type Note follow no rule.',
          link: '/find?show=unscheduled&type=note',
          records: 3,
        },
      ],
    });
    expect([...stage.host.querySelectorAll('h2')].map((h) => h.textContent!.trim())).toEqual([
      'Record types without a rule 1',
      'Rules that govern nothing 1',
    ]);
    expect(stage.host.querySelector('section a')!.getAttribute('href')).toBe('/find?show=unscheduled&type=note');
  });
  it('says when nothing is wrong', async () => {
    const stage = await Stage.show(CheckPage);
    await stage.answer('/api/schedule/check', { findings: [] });
    expect(stage.text()).toContain('Nothing is wrong');
  });
});

describe('setting by hand', () => {
  beforeEach(() => TestBed.configureTestingModule({ providers: testingProviders }));
  it('says what would change before it does, and what came of it', async () => {
    const stage = await Stage.show(OverrideSheet, { open: true, ids: ['a', 'b'] });
    await stage.answer('/api/rules', { rules });
    expect(stage.button('What would change?').disabled).toBeTrue();
    await stage.type('#hand-due', '2040-01-01');
    await stage.type('#hand-reason', 'board decision');
    await stage.press('What would change?');
    const result = (id: string, outcome: string) => ({
      id,
      name: id,
      outcome,
      why: 'You may not.',
      before: '2030-01-01 (R-1)',
      after: '2040-01-01',
      shortens: false,
    });
    const shift = { earlier: 0, later: 1, first: 0, none: 0, otherwise: 0 };
    const effect = {
      looked: 1,
      changed: 1,
      shift,
      atOnce: { records: 0, bytes: 0 },
      held: 1,
      inBatches: 0,
      conflicts: { before: 0, after: 0 },
      bySeries: [],
      byYear: [],
      most: [],
      firstMonth: '2026-09',
      forecast: [],
    };
    const tried = await stage.answer('/api/records/override', { results: [result('a', 'done'), result('b', 'refused')], effect });
    expect(tried.request.body).toEqual({
      ids: ['a', 'b'],
      override: { kind: 'date', dueOn: '2040-01-01', action: 'destroy' },
      reason: 'board decision',
      dryRun: true,
    });
    expect(stage.sheet.textContent!.replace(/\s+/g, ' ')).toContain('1 of 2 would change, 0 of them with shorter retention; 1 refused.');
    expect(stage.sheet.textContent!.replace(/\s+/g, ' ')).toContain('Of 1 records 1 would follow it. 1 get a later date.');
    expect(stage.sheet.textContent).toContain('1 of them are held and stay');
    expect(stage.sheet.textContent).toContain('You may not.');
    await stage.press('Set it on 2 records');
    await stage.answer('/api/records/override', { results: [result('a', 'done'), result('b', 'refused')], effect: null });
    expect(stage.sheet.textContent).toContain('2030-01-01 (R-1) → 2040-01-01');
  });
  it('closes a list with Esc before it closes itself', async () => {
    const stage = await Stage.show(OverrideSheet, { open: true, ids: ['a'] });
    await stage.answer('/api/rules', { rules });
    const esc = async (at: Element): Promise<void> => {
      at.dispatchEvent(new KeyboardEvent('keydown', { key: 'Escape', code: 'Escape', bubbles: true, cancelable: true }));
      await stage.settle();
    };
    const list = document.getElementById('hand-way')!;
    list.closest<HTMLElement>('.p-select')!.click();
    await stage.settle();
    expect(document.querySelector('.p-select-overlay')).not.toBeNull();
    await esc(list);
    expect(stage.fixture.componentInstance.open()).toBeTrue();
    await stage.until(() => document.querySelector('.p-select-overlay') === null);
    await esc(list);
    expect(stage.fixture.componentInstance.open()).toBeFalse();
  });
  it('says in which jurisdictions records are', async () => {
    const stage = await Stage.show(OverrideSheet, { open: true, ids: ['a', 'b'] });
    await stage.answer('/api/rules', { rules });
    await stage.choose('hand-way', 'jurisdictions');
    await stage.answer('/api/jurisdictions', { jurisdictions: [{ name: 'Northshore', partOf: null, rules: 1, places: 1 }] });
    document.getElementById('hand-jurisdictions')!.closest<HTMLElement>('.p-multiselect')!.click();
    await stage.settle();
    document.querySelector<HTMLElement>('[role="option"]')!.click();
    await stage.settle();
    await stage.type('#hand-reason', 'moved over the sound');
    await stage.press('What would change?');
    const request = await stage.answer('/api/records/override', { results: [], effect: null });
    expect(request.request.body.override).toEqual({ kind: 'jurisdictions', jurisdictions: ['Northshore'] });
  });
  it('lets the rules decide again', async () => {
    const stage = await Stage.show(OverrideSheet, { open: true, ids: ['a'] });
    await stage.answer('/api/rules', { rules });
    await stage.choose('hand-way', /the rules decide/);
    await stage.type('#hand-reason', 'no longer needed');
    await stage.press('Set it on one record');
    expect((await stage.answer('/api/records/override', { results: [], effect: null })).request.body.override).toBeNull();
  });
});

describe('events', () => {
  beforeEach(() => TestBed.configureTestingModule({ providers: testingProviders }));
  const event = {
    id: 'e',
    type: 'lease ended',
    on: '2024-06-30',
    note: '',
    by: 'Petra',
    recordedAt: '2024-07-01T10:00:00Z',
    corrects: null,
    withdrawn: null,
  };
  it('are corrected with a reason, and what was taken back stays to be read', async () => {
    const stage = await Stage.show(EventList, { kind: 'record', id: 'r', mayRecord: true });
    await stage.answer('/api/records/r/events', {
      events: [event, { ...event, id: 'w', withdrawn: { by: 'Ines', reason: 'a year off' } }],
    });
    expect(stage.text()).toContain('withdrawn by Ines: a year off');
    await stage.press('Correct lease ended of 30 Jun 2024');
    await stage.answer('/api/event-types', { types: [] });
    await stage.type('#event-on', '2025-06-30');
    expect(stage.button('Correct it').disabled).toBeTrue();
    await stage.type('#event-reason', 'wrong year');
    await stage.press('Correct it');
    const request = await stage.answer('/api/events/e/withdraw', { recomputed: 1 });
    expect(request.request.body).toEqual({ reason: 'wrong year', instead: { type: 'lease ended', on: '2025-06-30', note: '' } });
  });
});
