import { TestBed } from '@angular/core/testing';
import type { AccessSide, RightLine } from '@key-cellar/contract';
import { FindingsPage } from './findingsPage';
import { markLetters, markWords } from './marks';
import { MatrixPage } from './matrixPage';
import { Stage, testingProviders } from '../kit/testing';
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
    { profiles: [{ code: 'editor', here: true }], ceiling: false },
    { profiles: [{ code: 'reader', here: false }], ceiling: true },
  ],
  total,
  knownFrom: '2020-01-01',
});

describe('a mark of access', () => {
  it('shows two profiles at most, and says all of them', () => {
    const mark = {
      profiles: [
        { code: 'keeper', here: true },
        { code: 'editor', here: false },
        { code: 'reader', here: false },
      ],
      ceiling: false,
    };
    expect(markLetters(mark).map((m) => m.text)).toEqual(['K', '+2']);
    expect(markWords(mark)).toBe('Keeper (given here), Editor, Reader');
    expect(markLetters({ ...mark, profiles: mark.profiles.slice(1) }).map((m) => m.text)).toEqual(['E', 'R']);
    expect(markWords({ profiles: [], ceiling: false })).toBe('nothing');
    expect(markWords({ profiles: [{ code: 'reader', here: false }], ceiling: true })).toBe('Reader; the clearance is too low for it');
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
    const line = (grantId: string) => ({ kind: 'never', sentence: `grant ${grantId}`, grantId, place: null, personId: null });
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
