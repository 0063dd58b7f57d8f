import { TestBed } from '@angular/core/testing';
import type { AccessSide, ProfileLine, RaiseLine, RightLine } from '@key-cellar/contract';
import { FindingsPage } from './findingsPage';
import { markLetters, markWords } from './marks';
import { MarkingSheet } from './markingSheet';
import { MatrixPage } from './matrixPage';
import { OwnRaises } from './ownRaises';
import { ProfilesPage } from './profilesPage';
import { RaisesPage } from './raisesPage';
import { me, Stage, testingProviders } from '../kit/testing';
import { WhySides } from './whySides';

const page = (from: number, count: number, total: number) => ({
  columns: [
    { id: 'a', name: 'Ada Ash' },
    { id: 'b', name: 'Ben Birch' },
  ],
  rows: Array.from({ length: count }, (_, i) => ({
    ...{ id: `p${from + i}`, kind: 'series', code: `S-${from + i}`, title: 'Logs', depth: 2, inside: null, standAlone: false },
    marking: { level: 0, caveats: [] },
    cells: [from === 0 ? 1 : 2, 0],
  })),
  marks: [
    { profiles: [], ceiling: false },
    { profiles: [{ code: 'editor', title: 'Editor', here: true }], ceiling: false },
    { profiles: [{ code: 'reader', title: 'Reader', here: false }], ceiling: true },
  ],
  total,
  knownFrom: '2020-01-01',
});

describe('a mark of access', () => {
  it('shows two profiles at most, and says all of them', () => {
    const mark = {
      profiles: [
        { code: 'keeper', title: 'Keeper', here: true },
        { code: 'editor', title: 'Editor', here: false },
        { code: 'reader', title: 'Reader', here: false },
      ],
      ceiling: false,
    };
    expect(markLetters(mark).map((m) => m.text)).toEqual(['K', '+2']);
    expect(markWords(mark)).toBe('Keeper (given here), Editor, Reader');
    expect(markLetters({ ...mark, profiles: mark.profiles.slice(1) }).map((m) => m.text)).toEqual(['E', 'R']);
    expect(markLetters({ profiles: [{ code: 'mover-2', title: 'Mover', here: true }], ceiling: false })).toEqual([
      { text: 'Mov', here: true },
    ]);
    expect(markWords({ profiles: [], ceiling: false })).toBe('nothing');
    expect(markWords({ profiles: [{ code: 'reader', title: 'Reader', here: false }], ceiling: true })).toBe(
      'Reader; the clearance is too low for it',
    );
  });
});

describe('places and people', () => {
  let stage: Stage<MatrixPage>;
  const grid = (): HTMLElement => stage.host.querySelector('.grid')!;

  beforeEach(async () => {
    TestBed.configureTestingModule({ providers: testingProviders });
    stage = await Stage.show(MatrixPage);
    grid().style.height = '400px';
    await stage.answer('/api/access?', page(0, 100, 1200));
  });

  it('draws what is in view, and fetches the rest when it comes into view', async () => {
    expect(stage.host.querySelectorAll('[role=row]').length).toBeLessThan(60);
    expect(grid().getAttribute('aria-rowcount')).toBe('1201');
    grid().scrollTop = 1040 * 28;
    grid().dispatchEvent(new Event('scroll'));
    await stage.settle();
    const asked = await stage.answer('/api/access?', page(1000, 100, 1200));
    expect(asked.request.urlWithParams).toContain('from=1000');
    expect(stage.host.querySelector('[data-cell="1040-0"]')!.getAttribute('aria-label')).toBe(
      'Ada Ash on S-1040 Logs: Reader; the clearance is too low for it',
    );
  });

  it('moves by keys, and says why', async () => {
    const cell = (at: string): HTMLElement => stage.host.querySelector(`[data-cell="${at}"]`)!;
    cell('0-0').focus();
    for (const [key, at] of [
      ['ArrowDown', '1-0'],
      ['ArrowRight', '1-1'],
      ['ArrowRight', '1-1'],
      ['Home', '1-0'],
    ] as const) {
      document.activeElement!.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true }));
      await stage.settle();
      expect(document.activeElement).withContext(key).toBe(cell(at));
    }
    cell('1-0').click();
    const asked = await stage.answer('/api/access/compare', { sides: [], rights: [] });
    expect(asked.request.body).toEqual({ spots: [{ personId: 'a', placeId: 'p1', on: null }] });
  });
});

describe('why', () => {
  const side = (id: string, where: string): AccessSide => ({
    ...{ person: { id, name: id, active: true }, where, on: '2026-09-14', why: 'May read.', grants: [], ceilings: [] },
  });
  const right = (name: string, ...has: RightLine['has']): RightLine => ({ right: name, words: name, has, through: has.map(() => []) });

  it('puts rights that are alike into one line, and what differs first', () => {
    TestBed.configureTestingModule({ providers: testingProviders });
    const fixture = TestBed.createComponent(WhySides);
    fixture.componentRef.setInput('sides', [side('Ada', 'A'), side('Ben', 'A')]);
    fixture.componentRef.setInput('rights', [right('discover', 'all', 'all'), right('read', 'all', 'all'), right('edit', 'all', 'no')]);
    fixture.detectChanges();
    const element = fixture.nativeElement as HTMLElement;
    expect([...element.querySelectorAll('tbody tr td:first-child')].map((td) => td.textContent)).toEqual(['edit', 'discover, read']);
    expect(element.querySelectorAll('tr.differs').length).toBe(1);
    expect([...element.querySelectorAll('th')].map((th) => th.textContent)).toEqual(['rights', 'Ada', 'Ben']);
    fixture.componentRef.setInput('sides', [side('Ada', 'A'), side('Ada', 'B')]);
    fixture.detectChanges();
    expect([...element.querySelectorAll('th')].map((th) => th.textContent)).toEqual(['rights', 'A', 'B']);
  });
});

describe('what to look at', () => {
  it('ends marked grants, many at once, with the effect first', async () => {
    TestBed.configureTestingModule({ providers: testingProviders });
    const stage = await Stage.show(FindingsPage, {}, { rights: ['grant'] });
    const line = (grantId: string) => ({
      kind: 'never',
      sentence: `grant ${grantId}`,
      grantId,
      place: null,
      recordId: null,
      tagId: null,
      personId: null,
    });
    await stage.answer('/api/access/findings', { findings: [line('g1'), line('g2'), line('g3')] });
    for (const box of [...stage.host.querySelectorAll<HTMLInputElement>('input[type=checkbox]')].slice(0, 2)) box.click();
    await stage.settle();
    expect(stage.text()).toContain('2 grants marked.');
    await stage.press('End …');
    await stage.type('#limit-reason', 'no longer needed');
    await stage.press('See the effect');
    const body = { ids: ['g1', 'g2'], until: null, reason: 'no longer needed', dryRun: true };
    const tried = await stage.answer('/api/grants/limit', {
      results: [],
      access: { gains: [], loses: ['Ada: edit on 3 records'], people: 1 },
    });
    expect(tried.request.body).toEqual(body);
    expect(document.body.textContent).toContain('Ada: edit on 3 records');
    await stage.press('End grants');
    const results = [{ id: 'g1', name: 'Ada · A', outcome: 'done', why: 'ended' }];
    const done = await stage.answer('/api/grants/limit', { results, access: null });
    expect(done.request.body).toEqual({ ...body, dryRun: false });
    expect(document.body.textContent).toContain('Ada · A');
  });
});

describe('a marking', () => {
  const now = { level: 1, caveats: ['people'] };

  it('is given to a place only after its effect was seen, and tried again when it changes', async () => {
    TestBed.configureTestingModule({ providers: testingProviders });
    const stage = await Stage.show(MarkingSheet, { place: { id: 'p', revision: 4 }, name: 'A-01 Letters', now, open: true });
    await stage.answer('/api/access/markings', { level: 3, caveats: ['people', 'works'] });
    expect(stage.sheet.textContent).toContain('Marking of A-01 Letters');
    expect(stage.sheet.querySelector<HTMLInputElement>('#marking-level')!.value).toBe('1');
    expect(stage.button('See the effect', stage.sheet).disabled).withContext('a reason is needed').toBeTrue();
    await stage.type('#marking-level', '2');
    await stage.type('#marking-reason', 'under inquiry');
    await stage.press('See the effect', stage.sheet);
    const effect = { revision: 5, access: { gains: [], loses: ['Bo: read on 3 records'], people: 1 } };
    const tried = await stage.answer('/api/places/p/marking', effect);
    expect(tried.request.body).toEqual({ level: 2, caveats: ['people'], reason: 'under inquiry', revision: 4, dryRun: true });
    expect(stage.sheet.textContent).toContain('Bo: read on 3 records');
    await stage.type('#marking-level', '3');
    expect(stage.sheet.textContent).not.toContain('Bo: read on 3 records');
    await stage.press('See the effect', stage.sheet);
    await stage.answer('/api/places/p/marking', effect);
    await stage.press('Mark so', stage.sheet);
    const { request } = await stage.answer('/api/places/p/marking', { ...effect, access: null });
    expect([request.body.level, request.body.dryRun]).toEqual([3, false]);
  });

  it('of many records says of each what came of it', async () => {
    TestBed.configureTestingModule({ providers: testingProviders });
    const stage = await Stage.show(MarkingSheet, { recordIds: ['a', 'b'], open: true });
    await stage.answer('/api/access/markings', { level: 1, caveats: [] });
    expect(stage.sheet.textContent).toContain('Marking of 2 records');
    await stage.type('#marking-reason', 'no longer');
    const results = [
      { id: 'a', name: 'A 1', outcome: 'done', why: 'not marked' },
      { id: 'b', name: 'B 1', outcome: 'refused', why: 'What it lies in is marking level 1.' },
    ];
    await stage.press('See the effect', stage.sheet);
    await stage.answer('/api/records/mark', { results, access: { gains: [], loses: [], people: 0 } });
    expect(stage.sheet.textContent).toContain('One record is left as it is');
    await stage.press('Mark so', stage.sheet);
    await stage.answer('/api/records/mark', { results, access: null });
    expect(stage.sheet.textContent).toContain('1 done');
    expect(stage.sheet.textContent).toContain('What it lies in is marking level 1.');
  });
});

describe('profiles', () => {
  const profile = (code: string, more: Partial<ProfileLine> = {}): ProfileLine => ({
    ...{ code, title: code, own: false, rights: ['discover', 'read'], ownOnly: false, active: true, grants: 2, revision: null },
    ...more,
  });
  const own = profile('mover', { title: 'Mover', own: true, rights: ['discover', 'read', 'move'], revision: 3 });
  const show = async (rights: string[]) => {
    TestBed.configureTestingModule({ providers: testingProviders });
    const stage = await Stage.show(ProfilesPage, {}, { rights: rights as never });
    const depositor = profile('depositor', { rights: ['discover', 'deposit'], ownOnly: true });
    await stage.answer('/api/profiles', { profiles: [profile('reader'), depositor, own] });
    return stage;
  };

  it('say right by right how far each reaches, and are changed by who sets up', async () => {
    const stage = await show(['audit']);
    const row = (words: string) =>
      [...stage.host.querySelectorAll('tbody tr')].find((tr) => tr.textContent.includes(words))!.querySelectorAll('td');
    expect([...row('discover')].map((td) => td.textContent.trim())).toEqual(['●yes', '◐on own deposits', '●yes']);
    expect([...row('deposit something')].map((td) => td.textContent.trim())).toEqual(['no', '●yes', 'no']);
    expect(stage.host.querySelectorAll('button.as-link').length).toBe(0);
    expect(stage.text()).not.toContain('Make a profile');
  });

  it('are changed with the effect first', async () => {
    const stage = await show(['setUp']);
    await stage.press('Mover');
    const box = (name: string) => stage.sheet.querySelector<HTMLInputElement>(`input[name="${name}"]`)!;
    expect([box('move').checked, box('dispose').checked, box('active').checked]).toEqual([true, false, true]);
    box('move').click();
    await stage.settle();
    await stage.press('See the effect', stage.sheet);
    const tried = await stage.answer('/api/profiles/mover', { revision: 4, access: { gains: [], loses: ['Bo: move'], people: 1 } });
    expect(tried.request.body).toEqual({
      ...{ title: 'Mover', rights: ['discover', 'read'], ownOnly: false, active: true, revision: 3, dryRun: true },
    });
    expect(stage.sheet.textContent).toContain('Bo: move');
    await stage.press('Save', stage.sheet);
    const { request } = await stage.answer('/api/profiles/mover', { revision: 4, access: null });
    expect(request.body.dryRun).toBeFalse();
    await stage.answer('/api/profiles', { profiles: [] });
    expect(stage.text()).toContain('The repository has no profiles of its own.');
  });
});

describe('more access for some days', () => {
  const raise = (id: string, more: Partial<RaiseLine> = {}): RaiseLine => ({
    ...{ id, person: { id: 'bo', name: 'Bo Hale' }, place: { id: 'p', kind: 'series', code: 'A-01', title: 'Letters' } },
    ...{ profile: 'editor', as: 'Editor', until: '2026-09-20', reason: 'the inquiry', askedOn: '2026-09-14', state: 'open' },
    ...{ decidedBy: null, note: '', mine: false, mayDecide: true },
    ...more,
  });

  it('is decided on by those who may, for no longer than was asked', async () => {
    TestBed.configureTestingModule({ providers: testingProviders });
    const stage = await Stage.show(RaisesPage);
    const past = raise('r2', { state: 'refused', decidedBy: 'Ada', note: 'not now', mayDecide: false });
    await stage.answer('/api/raises', { raises: [raise('r1'), past] });
    expect([...stage.host.querySelectorAll('tbody tr')].map((tr) => tr.textContent.includes('Decide'))).toEqual([true, false]);
    const [, decided] = [...stage.host.querySelectorAll('tbody tr')];
    for (const words of ['refused', 'by Ada', 'not now']) expect(decided!.textContent).toContain(words);
    await stage.press('Decide');
    await stage.type('#raise-note', 'one day will do');
    await stage.press('Give it', stage.sheet);
    const { request } = await stage.answer('/api/raises/r1/decide', {});
    expect(request.body).toEqual({ approve: true, note: 'one day will do', until: '2026-09-20' });
    await stage.answer('/api/raises', { raises: [] });
    expect(stage.text()).toContain('Nobody asked for more access');
  });

  it('is asked for at a place, seen there, and withdrawn', async () => {
    TestBed.configureTestingModule({ providers: testingProviders });
    const stage = await Stage.show(OwnRaises, { placeId: 'p', name: 'A-01 Letters' });
    const elsewhere = raise('r0', { mine: true, place: { id: 'q', kind: 'series', code: 'A-02', title: 'Else' } });
    await stage.answer('/api/raises', { raises: [raise('r1', { mine: true, mayDecide: false }), elsewhere, raise('r2')] });
    await stage.answer('/api/profiles', { profiles: [{ code: 'editor', title: 'Editor', active: true }] });
    expect(stage.text().match(/You asked to be Editor here/g)!.length).toBe(1);
    await stage.press('withdraw');
    await stage.answer('/api/raises/r1/withdraw', {});
    await stage.answer('/api/raises', { raises: [] });
    await stage.press('ask for more access');
    await stage.type('#raise-reason', 'a week in the archive');
    await stage.press('Ask for it', stage.sheet);
    const { request } = await stage.answer('/api/raises', { id: 'r3' });
    expect(request.body).toEqual({ placeId: 'p', profile: 'editor', until: me.today, reason: 'a week in the archive' });
  });
});
