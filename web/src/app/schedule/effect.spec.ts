import { ChangeDetectionStrategy, Component, signal } from '@angular/core';
import { TestBed } from '@angular/core/testing';
import type { EffectPage, ScheduleChange } from '@key-cellar/contract';
import { Stage, testingProviders } from '../kit/testing';
import { TwoHorizons } from '../kit/twoHorizons';
import { byMonth, byYear, cellsOf, counted, forecastCsv, touched, type Cell } from './effectModel';
import { EffectView } from './effectView';
import { ForecastPage } from './forecastPage';

const cell = (month: string, changes: Partial<Cell> = {}): Cell => ({
  month,
  series: 'PIL-01',
  rule: 'R-1',
  step: 'destroy',
  records: 2,
  bytes: 10,
  afterRecords: 2,
  afterBytes: 10,
  ...changes,
});
const effect: EffectPage = {
  looked: 2000,
  changed: 12,
  shift: { earlier: 3, later: 4, first: 5, none: 0, otherwise: 0 },
  atOnce: { records: 1, bytes: 10 },
  held: 2,
  inBatches: 0,
  conflicts: { before: 0, after: 0 },
  bySeries: [{ seriesId: 's', code: 'PIL-01', title: 'Logs', earlier: 3, later: 4, first: 5, none: 0, otherwise: 0 }],
  byYear: [
    { year: 2031, earlier: 3, later: 1, first: 0, none: 0, otherwise: 0 },
    { year: 2033, earlier: 0, later: 3, first: 5, none: 0, otherwise: 0 },
  ],
  most: [{ id: 'r', number: 'PIL-01/0001', title: 'Log', before: '2030-01-01', after: null }],
  firstMonth: '2026-09',
  forecast: [
    { series: 'PIL-01', rule: 'R-1', step: 'destroy', cells: [4, 2, 10, 1, 10, 8, 2, 10, 2, 10] },
    { series: 'BER-02', rule: 'R-1', step: 'review', cells: [41, 2, 10, 2, 10] },
  ],
};

describe('the forecast', () => {
  it('is summed by year, also where nothing comes due', () => {
    expect(cellsOf(effect).map((c) => c.month)).toEqual(['2027-01', '2027-05', '2030-02']);
    const nothing = { before: 0, after: 0, destroy: 0, transfer: 0 };
    expect(byYear(cellsOf(effect), 2026, 5)).toEqual([
      { name: '2026', label: '2026', ...nothing },
      { name: '2027', label: '2027', before: 4, after: 3, destroy: 4, transfer: 0 },
      { name: '2028', label: '2028', ...nothing },
      { name: '2029', label: '2029', ...nothing },
      { name: '2030', label: '2030', before: 2, after: 2, destroy: 0, transfer: 0 },
    ]);
    const months = byMonth(cellsOf(effect), '2027');
    expect(months.map((m) => m.label).join(' ')).toBe('Jan Feb Mar Apr May Jun Jul Aug Sep Oct Nov Dec');
    expect(months.filter((m) => m.before > 0)).toEqual([
      { name: '2027-01', label: 'Jan', before: 2, after: 1, destroy: 2, transfer: 0 },
      { name: '2027-05', label: 'May', before: 2, after: 2, destroy: 2, transfer: 0 },
    ]);
  });
  it('is counted by year or month, and by step, series or rule, and nothing is lost on the way', () => {
    const cells = cellsOf(effect);
    expect(counted(cells, 4, 'step').map((l) => [l.when, l.what, l.records, l.bytes, l.afterRecords])).toEqual([
      ['2027', 'destroy', 4, 20, 3],
      ['2030', 'review', 2, 10, 2],
    ]);
    expect(counted(cells, 7, 'series').map((l) => [l.when, l.what, l.records])).toEqual([
      ['2027-01', 'PIL-01', 2],
      ['2027-05', 'PIL-01', 2],
      ['2030-02', 'BER-02', 2],
    ]);
    for (const by of ['step', 'series', 'rule'] as const) {
      for (const letters of [4, 7] as const) {
        const sum = counted(cells, letters, by).reduce((n, l) => n + l.records, 0);
        expect(sum).withContext(`${by} ${letters}`).toBe(6);
      }
    }
  });
  it('of a change is that of the series that it touches', () => {
    expect(touched(cellsOf(effect)).map((c) => c.series)).toEqual(['PIL-01', 'PIL-01']);
  });
  it('is a table that no spreadsheet takes for a formula', () => {
    const csv = forecastCsv([cell('2027-01', { rule: '=HYPERLINK("x")', series: 'A,"B"' })]).split('\r\n');
    expect(csv[0]).toContain('records with the change');
    expect(csv[1]).toBe(`2027-01,"A,""B""","'=HYPERLINK(""x"")",destroy,2,10,2,10`);
  });
});

describe('two horizons', () => {
  beforeEach(() => TestBed.configureTestingModule({ providers: testingProviders }));
  it('are one where nothing changes, and told in words', async () => {
    const stage = await Stage.show(TwoHorizons, { bars: [{ name: '2027', label: '2027', before: 4, after: 4, destroy: 3, transfer: 1 }] });
    expect(stage.host.querySelector('.outline')).toBeNull();
    expect(stage.host.querySelector('svg')!.getAttribute('aria-label')).toBe('Due: 2027: 4');
    stage.fixture.componentRef.setInput('bars', [{ name: '2027', label: '2027', before: 4, after: 3, destroy: 3, transfer: 1 }]);
    await stage.settle();
    expect(stage.host.querySelector('.outline')).not.toBeNull();
    expect(stage.host.querySelector('svg')!.getAttribute('aria-label')).toContain('4 as it stands, 3 with the change');
    expect(stage.text()).toContain('with the change');
  });
});

@Component({
  selector: 'kc-test-host',
  imports: [EffectView],
  template: '<kc-effect [change]="change()" />',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
class Host {
  readonly change = signal<ScheduleChange | null>(null);
}

describe('the effect of a change', () => {
  beforeEach(() => TestBed.configureTestingModule({ providers: testingProviders }));
  const change = (ruleId: string): ScheduleChange => ({ kind: 'setRule', placeId: 'p', ruleId, set: true });

  it('is asked for when there is a change, and told with what moves, what is due at once and what is held', async () => {
    const stage = await Stage.show(Host);
    expect(stage.text()).toBe('');
    stage.fixture.componentInstance.change.set(change('a'));
    await stage.settle();
    const request = stage.http.expectOne('/api/schedule/effect');
    request.flush(`${JSON.stringify({ done: 0, total: 2000 })}\n${JSON.stringify({ effect })}\n`);
    await stage.settle();
    expect(stage.text()).toContain('Of 2,000 records 12 would follow it.');
    expect(stage.text()).toContain('3 get an earlier date, 4 get a later date and 5 get their first date.');
    expect(stage.text()).toContain('1 would be due at once');
    expect(stage.text()).withContext('what concerns none is not said').not.toContain('in a batch');
    expect(stage.text()).toContain('1 Jan 2030 → no date');
    const lines = (): string[][] =>
      [...stage.host.querySelectorAll<HTMLTableRowElement>('tbody tr')].map((tr) => [...tr.cells].map((c) => c.textContent!.trim()));
    expect(lines()).toEqual([['PIL-01', '3', '', '9']]);
    await stage.press('By year');
    expect(lines()).toEqual([
      ['2031', '3', '', '1'],
      ['2033', '', '', '8'],
    ]);
  });

  it('of an older change is given up when another is asked for', async () => {
    const stage = await Stage.show(Host);
    stage.fixture.componentInstance.change.set(change('a'));
    await stage.settle();
    const first = stage.http.expectOne('/api/schedule/effect');
    stage.fixture.componentInstance.change.set(change('b'));
    await stage.settle();
    expect(first.cancelled).toBeTrue();
    const second = stage.http.expectOne('/api/schedule/effect');
    expect((second.request.body as { change: { ruleId: string } }).change.ruleId).toBe('b');
  });

  it('that cannot be worked out says why', async () => {
    const stage = await Stage.show(Host);
    stage.fixture.componentInstance.change.set(change('a'));
    await stage.settle();
    const problem = { type: 't', title: 'Circle', status: 409, detail: 'A place cannot be moved into itself.' };
    stage.http.expectOne('/api/schedule/effect').flush(`${JSON.stringify({ problem })}\n`);
    await stage.settle();
    expect(stage.text()).toContain('A place cannot be moved into itself.');
    expect(stage.host.querySelector('progress')).toBeNull();
  });
});

describe('thirty years ahead', () => {
  beforeEach(() => TestBed.configureTestingModule({ providers: testingProviders }));
  const rule = { id: 'r', code: 'R-1', version: 1, inForceFrom: '2020-01-01', hasDraft: true, setOn: [], records: 6 };
  const lines = (stage: Stage<ForecastPage>): string[] =>
    [...stage.host.querySelectorAll<HTMLTableRowElement>('tbody tr')].map((tr) =>
      [...tr.cells].map((c) => c.textContent!.trim()).join(' | '),
    );
  async function show(): Promise<Stage<ForecastPage>> {
    const stage = await Stage.show(ForecastPage);
    await stage.answer('/api/plan', { places: [{ id: 's', kind: 'series', code: 'BER-02', title: 'Inspections' }] });
    await stage.answer('/api/rules', { rules: [{ ...rule, definition: { title: 'Logs' } }] });
    (await stage.request('/api/schedule/effect')).flush(`${JSON.stringify({ effect })}\n`);
    await stage.settle();
    return stage;
  }

  it('are told by year and step, and narrowed to a series', async () => {
    const stage = await show();
    expect(stage.text()).toContain('6 steps come due until 2056');
    expect(lines(stage)).toEqual(['2027 | destroyed | 4 | 20 B', '2030 | a keeper reviews | 2 | 10 B']);
    await stage.choose('forecast-series', /BER-02/);
    expect(stage.text()).toContain('2 steps come due');
  });

  it('are opened to the months of a year, by its bar or by its name, and counted by rule', async () => {
    const stage = await show();
    const bar = [...stage.host.querySelectorAll('svg g')].find((g) => g.textContent!.includes('2027'))!;
    bar.dispatchEvent(new MouseEvent('click', { bubbles: true }));
    await stage.settle();
    expect(stage.text()).toContain('4 steps come due in 2027');
    expect(lines(stage).map((l) => l.slice(0, 7))).toEqual(['2027-01', '2027-05']);
    await stage.press('By rule');
    expect(lines(stage)[0]).toBe('2027-01 | R-1 Logs | 2 | 10 B');
    await stage.choose('forecast-year', '2030');
    expect(lines(stage)).toEqual(['2030-02 | R-1 Logs | 2 | 10 B']);
  });

  it('are worked out with a draft, and told as it stands and with it', async () => {
    const stage = await show();
    await stage.choose('forecast-draft', /R-1/);
    await stage.answer('/api/rules/r', { id: 'r', draft: { title: 'Logs, longer' } });
    const request = await stage.request('/api/schedule/effect');
    expect(request.request.body).toEqual({
      change: { kind: 'rule', ruleId: 'r', definition: { title: 'Logs, longer' }, inForceFrom: '2026-09-14', takesOver: 'all' },
    });
    expect(stage.text()).withContext('not worked out yet').toContain('6 steps come due until 2056, with');
    expect(lines(stage)[0]).toBe('2027 | destroyed | 4 | 20 B');
    request.flush(`${JSON.stringify({ done: 1, total: 2 })}\n${JSON.stringify({ effect })}\n`);
    await stage.settle();
    expect(stage.text()).toContain('6 steps come due until 2056 as it stands, 5 with the draft.');
    expect(lines(stage)[0]).toBe('2027 | destroyed | 4 | 20 B | 3 | 20 B');
  });

  it('are as the schedule stands again where the draft is gone meanwhile', async () => {
    const stage = await show();
    await stage.choose('forecast-draft', /R-1/);
    await stage.answer('/api/rules/r', { id: 'r', draft: null });
    await stage.answer('/api/rules', { rules: [{ ...rule, hasDraft: false, definition: { title: 'Logs' } }] });
    expect((await stage.request('/api/schedule/effect')).request.body).toEqual({ change: { kind: 'nothing' } });
    expect(document.getElementById('forecast-draft')).toBeNull();
  });
});
