import { ChangeDetectionStrategy, Component, signal } from '@angular/core';
import { TestBed } from '@angular/core/testing';
import type { EffectPage, ScheduleChange } from '@key-cellar/contract';
import { Stage, testingProviders } from '../kit/testing';
import { TwoHorizons } from '../kit/twoHorizons';
import { byYear, cellsOf, forecastCsv, touched, type Cell } from './effectModel';
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
    expect(byYear(cellsOf(effect), 2026, 5)).toEqual([
      { year: 2026, before: 0, after: 0, destroy: 0, transfer: 0 },
      { year: 2027, before: 4, after: 3, destroy: 4, transfer: 0 },
      { year: 2028, before: 0, after: 0, destroy: 0, transfer: 0 },
      { year: 2029, before: 0, after: 0, destroy: 0, transfer: 0 },
      { year: 2030, before: 2, after: 2, destroy: 0, transfer: 0 },
    ]);
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
    const stage = await Stage.show(TwoHorizons, { years: [{ year: 2027, before: 4, after: 4, destroy: 3, transfer: 1 }] });
    expect(stage.host.querySelector('.outline')).toBeNull();
    expect(stage.host.querySelector('svg')!.getAttribute('aria-label')).toBe('Due by year: 2027: 4');
    stage.fixture.componentRef.setInput('years', [{ year: 2027, before: 4, after: 3, destroy: 3, transfer: 1 }]);
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
    const lines = (): string[][] => [...stage.host.querySelectorAll<HTMLTableRowElement>('tbody tr')].map((tr) => [...tr.cells].map((c) => c.textContent!.trim())); // prettier-ignore
    expect(lines()).toEqual([['PIL-01', '3', '', '9']]);
    await stage.press('By year');
    expect(lines()).toEqual([['2031', '3', '', '1'], ['2033', '', '', '8']]); // prettier-ignore
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
  it('are told by year and step, and narrowed to a series', async () => {
    const stage = await Stage.show(ForecastPage);
    await stage.answer('/api/plan', { places: [{ id: 's', kind: 'series', code: 'BER-02', title: 'Inspections' }] });
    stage.http.expectOne('/api/schedule/effect').flush(`${JSON.stringify({ effect })}\n`);
    await stage.settle();
    expect(stage.text()).toContain('6 steps come due until 2056');
    expect([...stage.host.querySelectorAll('tbody tr')].length).toBe(2);
    await stage.choose('forecast-series', /BER-02/);
    expect(stage.text()).toContain('2 steps come due');
  });
});
