import { TestBed } from '@angular/core/testing';
import { Router } from '@angular/router';
import type { OutlineLine, PlacePage as Page, RackCounts, RackOfSeries } from '@key-cellar/contract';
import { Stage, testingProviders } from '../kit/testing';
import { PlacePage } from './placePage';
import { PlanPage } from './planPage';
import type { RackCell } from './rackModel';

const counts = (changes: Partial<RackCounts> = {}): RackCounts => ({
  kept: 0,
  due: 0,
  held: 0,
  unscheduled: 0,
  permanent: 0,
  waiting: 0,
  ...changes,
});
const place = (
  id: string,
  kind: OutlineLine['kind'],
  parentId: string | null,
  code: string,
  changes: Partial<OutlineLine> = {},
): OutlineLine => ({
  id,
  kind,
  parentId,
  code,
  title: `Title of ${code}`,
  closedOn: null,
  shut: null,
  retiredOn: null,
  rules: [],
  discover: true,
  deposit: true,
  counts: counts(),
  foldersInside: kind === 'series',
  ...changes,
});
const places = [
  place('root', 'repository', null, 'ALL', { counts: counts({ kept: 40, due: 3, held: 2 }) }),
  place('f', 'function', 'root', 'BER'),
  place('a', 'activity', 'f', 'BER.1'),
  place('s1', 'series', 'a', 'BER-01', { rules: ['R-BER-1'], counts: counts({ kept: 30, due: 3 }) }),
  place('s2', 'series', 'a', 'BER-04', { counts: counts({ kept: 10, unscheduled: 10 }) }),
];
const cell = (seriesId: string, vintage: number, changes: Partial<RackCounts>): RackCell => ({ seriesId, vintage, ...counts(changes) });
const cells = [
  cell('s1', 2025, { kept: 12, due: 3 }),
  cell('s1', 2024, { kept: 8, held: 2 }),
  cell('s1', 0, { kept: 5, waiting: 5 }),
  cell('s1', 1999, { kept: 5 }),
  cell('s2', 2024, { kept: 10, unscheduled: 10 }),
];
const series = ['s1', 's2'].map((seriesId): RackOfSeries => {
  const of = cells.filter((c) => c.seriesId === seriesId);
  const column = (name: keyof RackCounts): number[] => of.map((c) => c[name]);
  const [kept, due, held] = [column('kept'), column('due'), column('held')];
  const [unscheduled, permanent, waiting] = [column('unscheduled'), column('permanent'), column('waiting')];
  return { seriesId, vintages: of.map((c) => c.vintage), kept, due, held, unscheduled, permanent, waiting };
});

describe('the plan', () => {
  beforeEach(() => TestBed.configureTestingModule({ providers: testingProviders }));
  const show = async (inputs = {}, who = {}): Promise<{ stage: Stage<PlanPage>; go: jasmine.Spy<Router['navigate']> }> => {
    const stage = await Stage.show(PlanPage, inputs, who);
    for (const request of stage.http.match((r) => r.url === '/api/plan')) request.flush({ places });
    await stage.answer('/api/plan/rack', { series });
    return { stage, go: spyOn(TestBed.inject(Router), 'navigate').and.resolveTo(true) };
  };
  const named = (stage: Stage<PlanPage>, words: RegExp): HTMLButtonElement =>
    [...stage.host.querySelectorAll<HTMLButtonElement>('[role="gridcell"]')].find((c) => words.test(c.getAttribute('aria-label') ?? ''))!;

  it('says what there is, and names every cell', async () => {
    const { stage } = await show();
    expect(stage.text()).toContain('2 series hold 40 records. 3 are due, 2 are held, 1 series have no rule.');
    expect(named(stage, /BER-01 2025: 12 kept, 3 due/)).toBeDefined();
    expect(named(stage, /BER-01 running: 5 kept, 5 waiting/)).toBeDefined();
    expect(named(stage, /BER-04 2024: 10 kept, 10 without a rule/)).toBeDefined();
  });

  it('opens the list behind a cell, and all years behind the earlier ones', async () => {
    const { stage, go } = await show();
    named(stage, /BER-01 2025/).click();
    expect(go.calls.mostRecent().args).toEqual([['/find'], { queryParams: { under: 's1', vintage: '2025' } }]);
    named(stage, /BER-01 running/).click();
    expect(go.calls.mostRecent().args[1]!.queryParams).toEqual({ under: 's1', vintage: 0 });
    named(stage, /BER-01 ≤/).click();
    expect(go.calls.mostRecent().args[1]!.queryParams).toEqual({ cells: 's1.1999' });
  });

  it('is walked with the arrows, marked with the space bar, opened with Enter', async () => {
    const { stage, go } = await show();
    document.body.append(stage.host);
    const start = named(stage, /BER-01 2025/);
    start.focus();
    const press = async (key: string): Promise<void> => {
      document.activeElement!.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true, cancelable: true }));
      await stage.settle();
    };
    await press(' ');
    expect(start.getAttribute('aria-selected')).toBe('true');
    expect(stage.text()).toContain('One cell marked · 12 records');
    const other = named(stage, /BER-04 2024/);
    other.focus();
    await press('x');
    expect(stage.text()).toContain('2 cells marked · 22 records');
    await stage.press('Open list');
    expect(go.calls.mostRecent().args[1]!.queryParams).toEqual({ cells: 's1.2025,s2.2024' });
    await press('Enter');
    expect(go.calls.mostRecent().args[1]!.queryParams).toEqual({ under: 's2', vintage: '2024' });
  });

  it('folds a function away and brings it back', async () => {
    const { stage } = await show();
    await stage.press('Fold Title of BER');
    expect(stage.text()).not.toContain('BER-01');
    await stage.press('Unfold Title of BER');
    expect(stage.text()).toContain('BER-01');
  });

  it('shows only what is held, or says that nothing is', async () => {
    const { stage } = await show({ only: 'held' });
    expect(stage.text()).toContain('BER-01');
    expect(stage.text()).not.toContain('BER-04');
    stage.fixture.componentRef.setInput('only', 'unscheduled');
    await stage.settle();
    expect(stage.text()).toContain('BER-04');
    expect(stage.text()).not.toContain('BER-01');
  });

  it('is an outline as well, with the rules that are set', async () => {
    const { stage } = await show({ view: 'outline' });
    expect(stage.host.querySelector('table.outline')!.textContent).toContain('R-BER-1');
    expect(stage.host.querySelector('[role="grid"]')).toBeNull();
  });

  it('unfolds series and folders in the outline, fetched once, and says where there are more', async () => {
    const { stage } = await show({ view: 'outline' });
    const codes = (): string[] => [...stage.host.querySelectorAll('tbody tr code:first-child')].map((c) => c.textContent!);
    expect(codes()).not.toContain('B-11');
    await stage.press('Unfold BER-01');
    const folder = {
      ...place('fo', 'folder', 's1', 'B-11'),
      foldersInside: true,
      closedOn: '2020-01-01',
      shut: 'closed',
      counts: { kept: 3, due: 0, held: 0, unscheduled: 0, permanent: 0, waiting: 0 },
    };
    await stage.answer('/api/places/s1/folders', { places: [folder], more: 1200 });
    expect(codes()).toContain('B-11');
    expect(stage.text()).toContain('closed');
    expect(stage.text()).toContain('and 1,200 more folders');
    await stage.press('Unfold B-11');
    await stage.refuse('/api/places/fo/folders', 'The server does not answer.', undefined, 503);
    expect(stage.text()).toContain('The server does not answer.');
    await stage.press('Fold BER-01');
    expect(codes()).not.toContain('B-11');
    await stage.press('Unfold BER-01');
    stage.http.expectNone('/api/places/s1/folders');
    expect(codes()).toContain('B-11');
  });

  it('takes a new place inside another, of a kind that may stand there', async () => {
    const { stage } = await show();
    await stage.press('New place');
    await stage.answer('/api/plan?folders=true', { places });
    await stage.choose('place-parent', /BER\.1/);
    expect(document.getElementById('place-kind')!.textContent).toContain('series');
    await stage.type('#place-code', 'BER-09');
    await stage.type('#place-title', 'Bollards');
    await stage.press(/^Create/);
    await stage.refuse('/api/places', 'Something with this code or number exists already.');
    expect(stage.sheet.textContent).toContain('Something with this code or number exists already.');
    expect(document.querySelector<HTMLInputElement>('#place-code')!.value).toBe('BER-09');
  });

  it('is dragged about in the outline, but only where a place can go, and nothing moves before its effect was seen', async () => {
    const { stage } = await show({ view: 'outline' });
    const row = (code: string): HTMLElement =>
      [...stage.host.querySelectorAll<HTMLElement>('tbody tr')].find((tr) => tr.querySelector('code')!.textContent === code)!;
    const dragged = (type: string, at: Element): boolean => !at.dispatchEvent(new DragEvent(type, { bubbles: true, cancelable: true }));
    dragged('dragstart', row('BER-01').querySelector('a[draggable]')!);
    await stage.settle();
    expect(dragged('dragover', row('BER-04')))
      .withContext('a series into a series')
      .toBeFalse();
    expect(dragged('dragover', row('BER.1')))
      .withContext('where it is')
      .toBeFalse();
    expect(dragged('dragover', row('BER'))).toBeTrue();
    dragged('drop', row('BER'));
    const from = places.find((p) => p.code === 'BER-01')!;
    const into = places.find((p) => p.code === 'BER')!;
    await stage.answer(`/api/places/${from.id}`, { ...from, note: '', notHere: '', message: '', formerCodes: [], revision: 2 });
    await stage.answer('/api/plan?folders=true', { places });
    const dry = await stage.answer(`/api/places/${from.id}/move`, { records: 9, places: 2, gains: [], loses: [], recomputed: 9 });
    expect(dry.request.body).toEqual({ revision: 2, parentId: into.id, dryRun: true });
    expect(stage.sheet.textContent).toContain('Nobody gains or loses access to anything that you can see.');
  });

  it('moves the place in focus with a key', async () => {
    const { stage } = await show({ view: 'outline' });
    const link = [...stage.host.querySelectorAll<HTMLElement>('a[data-place]')].find((a) => a.textContent!.includes('BER-04'))!;
    link.focus();
    link.dispatchEvent(new KeyboardEvent('keydown', { key: 'm', bubbles: true }));
    await stage.settle();
    stage.http.expectOne(`/api/places/${link.getAttribute('data-place')!}`);
    expect(link.getAttribute('data-place')).not.toBeNull();
  });

  it('is built by keepers only', async () => {
    const { stage } = await show({}, { rights: ['discover', 'edit'] });
    expect(() => stage.button('New place')).toThrow();
  });
});

describe('a place', () => {
  beforeEach(() => TestBed.configureTestingModule({ providers: testingProviders }));
  const page: Page = {
    ...place('fo', 'folder', 's1', 'B-11'),
    note: 'Berth 11',
    notHere: 'no drafts',
    message: 'Two copies, please.',
    formerCodes: [{ code: 'B-9', until: '2020-01-01' }],
    openedOn: '2010-01-01',
    standAlone: false,
    path: [
      { id: 'root', kind: 'repository', code: 'ALL', title: 'All' },
      { id: 's1', kind: 'series', code: 'BER-01', title: 'Leases' },
      { id: 'fo', kind: 'folder', code: 'B-11', title: 'Berth 11' },
    ],
    inside: [],
    setRules: [
      { id: 'r1', code: 'R-BER-1', title: 'Leases', setOn: 'series BER-01', here: false },
      { id: 'r2', code: 'R-X', title: 'Extra', setOn: 'folder B-11', here: true },
    ],
    jurisdictions: ['Northshore'],
    jurisdictionsFrom: 'BER-01',
    facts: {},
    factNames: {},
    factsAround: [],
    readyTitles: [],
    stencil: null,
    takes: null,
    takesAround: [],
    rights: ['discover', 'read', 'annotate', 'edit', 'move', 'dispose'],
    numbering: null,
    profiles: ['Keeper'],
    accessWhy: 'May read through Keeper on repository.',
    revision: 1,
  };
  const rules = [
    { id: 'r3', code: 'R-Y', version: 1, definition: { title: 'Yearly' }, setOn: [], records: 0 },
    { id: 'r2', code: 'R-X', version: 1, definition: { title: 'Extra' }, setOn: [], records: 0 },
    { id: 'r4', code: 'R-DRAFT', version: null, definition: { title: 'Draft' }, setOn: [], records: 0 },
  ];
  const show = async (changes: Partial<Page> = {}): Promise<Stage<PlacePage>> => {
    const stage = await Stage.show(PlacePage, { id: 'fo' });
    await stage.answer('/api/places/fo', { ...page, ...changes });
    await stage.answer('/api/rules', { rules });
    await stage.answer('/api/places/fo/events', { events: [event] });
    return stage;
  };
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

  it('takes a numbering, or goes back to that of the place around it', async () => {
    const stage = await show({ numbering: { id: 'n1', title: 'Bills', pattern: 'PB-{nnn}', setOn: 'B-11' } });
    expect(stage.text()).toMatch(/Bills ?PB-\{nnn\}/);
    const section = [...stage.host.querySelectorAll('section')].find((x) => x.textContent!.includes('Numbering'))!;
    await stage.press('change', section);
    await stage.answer('/api/numberings', {
      numberings: [
        { id: 'n1', title: 'Bills', pattern: 'PB-{nnn}' },
        { id: 'n2', title: 'Others', pattern: 'O-{nnn}' },
      ],
    });
    await stage.choose('place-numbering', /Others/);
    await stage.press('Set the numbering', stage.sheet);
    const request = await stage.answer('/api/places/fo/numbering', {});
    expect(request.request.body).toEqual({ revision: 1, numberingId: 'n2' });
  });

  it('tells where it is, which rules reach it from where, what happened, and why one may', async () => {
    const stage = await show();
    expect(stage.host.querySelector('.crumbs')!.textContent).toContain('BER-01');
    expect(stage.text()).toContain('from series BER-01');
    expect(stage.text()).toContain('lease ended 30 Jun 2024 · Petra');
    expect(stage.text()).toContain('May read through Keeper on repository.');
  });

  it('begins with its records: what is arranged is one line, and of many folders there is one row', async () => {
    const inside = Array.from({ length: 9 }, (_, i) => ({ ...place(`f${i}`, 'folder', 'fo', `B-11-${i}`), counts: null }));
    const stage = await show({ inside });
    const arrangement = stage.host.querySelector('details')!;
    expect(arrangement.open).toBeFalse();
    expect(arrangement.querySelector('summary')!.textContent!.replace(/\s+/g, ' ')).toContain(
      'ArrangementR-BER-1R-XNorthshoredefault numberingyou: Keeper',
    );
    const shown = (): number => stage.host.querySelectorAll('.inside a').length;
    expect(shown()).toBe(3);
    await stage.press('All 9 folders');
    expect(shown()).toBe(9);
    await stage.press('Show fewer');
    expect(shown()).toBe(3);
    // What is recorded is shown where it is listed.
    await stage.press('Record an event');
    expect(arrangement.open).toBeTrue();
  });

  it('says that it closes on a day that is still to come, and lets that be called off', async () => {
    const stage = await show({ closedOn: '2026-12-31', deposit: true });
    expect(stage.text()).toContain('closes 31 Dec 2026');
    expect(stage.host.querySelector('kc-uploads')).not.toBeNull();
    await choose(stage, 'Cancel the closing');
    expect(stage.sheet.textContent).toContain('It stays open.');
  });

  it('says that it opens on a day that is still to come, and takes nothing before', async () => {
    const opening = await show({ openedOn: '2026-12-31', shut: 'notYet' });
    expect(opening.text()).toContain('opens 31 Dec 2026');
    expect(opening.host.querySelector('kc-uploads')).toBeNull();
  });

  it('gets a rule that is published and not set here yet, and says what it dated', async () => {
    const stage = await show();
    await stage.press('Set a rule');
    expect(stage.sheet.querySelector<HTMLButtonElement>('button[type="submit"]')!.disabled).toBeTrue();
    const rules = await stage.offered('rule-to-set');
    expect(rules.map((o) => o.textContent!.trim())).toEqual(['R-Y Yearly']);
    rules[0]!.click();
    await stage.settle();
    await stage.press('Set a rule', stage.sheet);
    const request = await stage.answer('/api/places/fo/rules', { recomputed: 12 });
    expect(request.request.body).toEqual({ ruleId: 'r3' });
    expect(stage.text()).toContain('12 records were recalculated.');
  });

  it('loses a rule that is set right here, not one from above', async () => {
    const stage = await show();
    expect(() => stage.button('Remove R-BER-1')).toThrow();
    await stage.press('Remove R-X');
    expect((await stage.request('/api/schedule/effect')).request.body).toEqual({
      change: { kind: 'setRule', placeId: 'fo', ruleId: 'r2', set: false },
    });
    stage.http.expectNone('/api/places/fo/rules/unset');
    await stage.press('Remove the rule', stage.sheet);
    const request = await stage.answer('/api/places/fo/rules/unset', { recomputed: 2 });
    expect(request.request.body).toEqual({ ruleId: 'r2' });
  });

  it('takes an event with its day, and keeps it when it is refused', async () => {
    const stage = await show();
    await stage.press('Record an event');
    await stage.type('#event-type', 'lease ended');
    await stage.type('#event-on', '2026-09-01');
    await stage.answer('/api/event-types', { types: [] });
    await stage.press('Record the event', stage.sheet);
    await stage.refuse('/api/places/fo/events', 'This day is before the folder was opened.', undefined, 422);
    expect(stage.sheet.textContent).toContain('This day is before the folder was opened.');
    expect(document.querySelector<HTMLInputElement>('#event-type')!.value).toBe('lease ended');
  });

  it('says in which jurisdictions it is and who says so, and takes others', async () => {
    const stage = await show();
    expect(stage.text()).toContain('Northshore from BER-01');
    await stage.press('change');
    await stage.answer('/api/jurisdictions', { jurisdictions: [{ name: 'Northshore', partOf: null, rules: 1, places: 1 }] });
    expect((await stage.request('/api/schedule/effect')).request.body).toEqual({
      change: { kind: 'placeJurisdictions', placeId: 'fo', jurisdictions: ['Northshore'] },
    });
    await stage.press('Jurisdictions', stage.sheet);
    const request = await stage.answer('/api/places/fo/jurisdictions', { recomputed: 3 });
    expect(request.request.body).toEqual({ revision: 1, jurisdictions: ['Northshore'] });
    expect(stage.text()).toContain('3 records were recalculated.');
  });

  const choose = async (stage: Stage<PlacePage>, name: string): Promise<void> => {
    await stage.press('Change …', stage.host);
    const item = [...document.querySelectorAll<HTMLElement>('.p-menu-item-link')].find((i) => i.textContent!.trim() === name);
    if (!item) throw new Error(`no ${name}`);
    item.click();
    await stage.settle();
  };

  it('is closed once', async () => {
    const stage = await show();
    await choose(stage, 'Close');
    expect((await stage.request('/api/schedule/effect')).request.body).toEqual({
      change: { kind: 'closeFolder', placeId: 'fo', on: '2026-09-14' },
    });
    await stage.press('Close the folder');
    expect((await stage.answer('/api/places/fo/close', {})).request.body).toEqual({ on: '2026-09-14' });
    await stage.answer('/api/places/fo', { ...page, closedOn: '2026-09-14', shut: 'closed' });
    expect(stage.text()).toContain('closed 14 Sep 2026');
    await expectAsync(choose(stage, 'Close')).toBeRejected();
  });

  it('says what does not belong there, what depositors should know, and how it was called', async () => {
    const text = (await show()).text();
    expect(text).toContain('Not here: no drafts');
    expect(text).toContain('Two copies, please.');
    expect(text).toContain('Formerly B-9');
  });

  it('is renumbered at the revision it was read at', async () => {
    const stage = await show();
    await choose(stage, 'Describe and renumber');
    await stage.type('#change-code', 'B-12');
    await stage.press('Describe and renumber', stage.sheet);
    const { body } = (await stage.refuse('/api/places/fo', 'B-12 is the code of another place.', undefined, 422)).request;
    expect(body).toEqual(jasmine.objectContaining({ revision: 1, code: 'B-12', notHere: 'no drafts' }));
    expect(stage.sheet.textContent).toContain('B-12 is the code of another place.');
    expect(document.querySelector<HTMLInputElement>('#change-code')!.value).toBe('B-12');
  });

  it('moves only after it was seen what goes along and who loses sight of it', async () => {
    const stage = await show();
    await choose(stage, 'Move');
    const other = {
      id: 's2',
      kind: 'series',
      parentId: 'f',
      code: 'BER-02',
      title: 'Inspections',
      closedOn: null,
      shut: null,
      retiredOn: null,
      rules: [],
      discover: true,
      deposit: true,
      counts: null,
    };
    await stage.answer('/api/plan?folders=true', {
      places: [
        other,
        { ...other, id: 'fo', kind: 'folder', code: 'B-11', parentId: 's1' },
        { ...other, id: 'old', code: 'OLD', retiredOn: '2020-01-01', shut: 'retired' },
      ],
    });
    expect(stage.button('Move', stage.sheet).disabled).toBeTrue();
    await stage.choose('change-parent', 'BER-02 Inspections');
    const dry = await stage.answer('/api/places/fo/move', {
      records: 4,
      places: 0,
      gains: [],
      loses: ['Ruben Tal (read)'],
      recomputed: 4,
      declared: 0,
    });
    expect(dry.request.body).toEqual({ revision: 1, parentId: 's2', dryRun: true });
    expect(stage.sheet.textContent!.replace(/\s+/g, ' ')).toContain('Lose access: Ruben Tal (read)');
    expect(stage.http.expectOne('/api/schedule/effect').request.body).toEqual({
      change: { kind: 'movePlace', placeId: 'fo', parentId: 's2' },
    });
    await stage.press('Move', stage.sheet);
    const request = await stage.answer('/api/places/fo/move', { records: 4, places: 0, gains: [], loses: [], recomputed: 4, declared: 0 });
    expect((request.request.body as { dryRun: boolean }).dryRun).toBeFalse();
    expect(stage.text()).toContain('4 records were recalculated.');
  });

  it('leaves its series with declared records only with a reason', async () => {
    const stage = await show({});
    await choose(stage, 'Move');
    const line = {
      id: 's2',
      kind: 'series',
      parentId: 'f',
      code: 'BER-02',
      title: 'Inspections',
      closedOn: null,
      shut: null,
      retiredOn: null,
    };
    await stage.answer('/api/plan?folders=true', { places: [{ ...line, rules: [], discover: true, deposit: true, counts: null }] });
    await stage.choose('change-parent', /BER-02/);
    await stage.answer('/api/places/fo/move', { records: 4, places: 0, gains: [], loses: [], recomputed: 4, declared: 2 });
    expect(stage.sheet.textContent!.replace(/\s+/g, ' ')).toContain('2 declared records leave its series');
    expect(stage.button('Move', stage.sheet).disabled).toBeTrue();
    await stage.type('#change-why', 'Another office');
    await stage.press('Move', stage.sheet);
    const { request } = await stage.request('/api/places/fo/move');
    expect(request.body).toEqual({ revision: 1, parentId: 's2', dryRun: false, reason: 'Another office' });
  });

  it('is given a code of before only by whoever was told whose it was', async () => {
    const stage = await show({});
    await choose(stage, 'Describe and renumber');
    await stage.type('#change-code', 'BER-02');
    await stage.press('Describe and renumber', stage.sheet);
    const told = {
      type: 'urn:key-cellar:problem:code-given-before',
      title: '',
      status: 409,
      detail: 'BER-02 was the code of BER-03 until 1 May 2020.',
    };
    const first = await stage.answer('/api/places/fo', told, 409);
    expect((first.request.body as { again: boolean }).again).toBeFalse();
    expect(stage.sheet.textContent).toContain('was the code of BER-03');
    await stage.press('Give it all the same', stage.sheet);
    const { request } = await stage.request('/api/places/fo');
    expect((request.body as { again: boolean }).again).toBeTrue();
  });

  it('that was retired can only be brought back, with a reason', async () => {
    const stage = await show({ retiredOn: '2026-01-01', shut: 'retired' });
    expect(stage.host.querySelector('kc-uploads')).toBeNull();
    await expectAsync(choose(stage, 'Retire')).toBeRejected();
    await choose(stage, 'Open again');
    expect((await stage.request('/api/schedule/effect')).request.body).toEqual({
      change: { kind: 'closeFolder', placeId: 'fo', on: null },
    });
    await stage.type('#change-reason', 'used after all');
    await stage.press('Open again', stage.sheet);
    expect((await stage.answer('/api/places/fo/reopen', {})).request.body).toEqual({ reason: 'used after all' });
  });

  it('offers nothing to those who only read', async () => {
    const stage = await show({ rights: ['discover', 'read'], deposit: false });
    for (const name of ['Set a rule', 'Change …', 'Record an event', 'New here', 'Remove R-X']) {
      expect(() => stage.button(name, stage.host))
        .withContext(name)
        .toThrow();
    }
    expect(stage.host.querySelector('kc-uploads')).toBeNull();
  });

  it('without any rule says that what is filed here has no date', async () => {
    expect((await show({ setRules: [] })).text()).toContain('What is filed here has no date.');
  });

  it('that may not be seen says no more than that', async () => {
    const stage = await Stage.show(PlacePage, { id: 'fo' });
    await stage.refuse('/api/places/fo', 'This place does not exist here, or you may not see it.', undefined, 404);
    expect(stage.text()).toContain('This place does not exist here, or you may not see it.');
  });
});
