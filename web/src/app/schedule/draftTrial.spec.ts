import { TestBed } from '@angular/core/testing';
import type { RuleDefinition } from '@key-cellar/contract';
import { civilDate } from '@key-cellar/core/calendar';
import { withDraft, type RuleVersions, type ScheduleCase } from '@key-cellar/core/schedule';
import { me, Stage, testingProviders } from '../kit/testing';
import { DraftTrial } from './draftTrial';
import type { Draft } from './whatIfModel';

const years = (n: number, changes: Partial<RuleDefinition> = {}): RuleDefinition => ({
  title: 'Logs',
  authority: 'Sound Compact',
  jurisdictions: [],
  trigger: { kind: 'recordDate', date: 'created' },
  cutoff: { kind: 'none' },
  steps: [{ kind: 'destroy', after: `P${n}Y`, from: 'clockStart', approvals: 1, noticeDays: 0 }],
  ...changes,
});
const rules: RuleVersions = withDraft({}, 'r', 'R-1', { ...years(5), inForceFrom: '2000-01-01', takesOver: 'all' });
const one = (id: string, created: string, changes: Partial<ScheduleCase> = {}): ScheduleCase => ({
  id,
  number: `PIL-01/${id}`,
  title: `Log ${id}`,
  series: { id: 's', code: 'PIL-01', title: 'Logs' },
  bytes: 1,
  held: false,
  inBatch: false,
  facts: { dates: { created: civilDate(created) }, factDates: {}, events: [] },
  candidates: [{ ruleId: 'r', level: 'planNode', distance: 0, setOn: 'series PIL-01' }],
  jurisdictions: [],
  override: null,
  ...changes,
});
const draft = (definition: RuleDefinition, changes: Partial<Draft> = {}): Draft => ({
  ruleId: 'r',
  code: 'R-1',
  definition,
  inForceFrom: me.today,
  takesOver: 'all',
  today: me.today,
  ...changes,
});

describe('trying a draft', () => {
  beforeEach(() => TestBed.configureTestingModule({ providers: testingProviders }));
  const cases = [one('1', '2020-02-29'), one('2', '2024-01-01')];
  const show = async (definition = years(5), more = false): Promise<Stage<DraftTrial>> => {
    const stage = await Stage.show(DraftTrial, { draft: draft(definition) });
    await stage.answer('/api/rules/r/cases', { cases, rules, more });
    return stage;
  };
  const typed = async (stage: Stage<DraftTrial>, definition: RuleDefinition): Promise<void> => {
    stage.fixture.componentRef.setInput('draft', draft(definition));
    await stage.settle();
  };

  it('says in a thread of the browser what it would do, as one types, and asks nobody', async () => {
    const stage = await show();
    await stage.until(() => stage.text().includes('Of 2 records none would get another date.'));
    await typed(stage, years(9));
    await stage.until(() => stage.text().includes('2 get a later date.'));
    await typed(stage, years(1));
    await stage.until(() => stage.text().includes('2 get an earlier date.'));
    // The first was due in 2025 already.
    expect(stage.text()).toContain('1 would be due at once');
    stage.http.verify();
  });

  it('works on a real record: its date before and after, and why', async () => {
    const stage = await show(years(9));
    const text = stage.text();
    expect(text).toContain('1 of 2 that it may govern');
    expect(text).toContain('28 Feb 2025 → 28 Feb 2029');
    expect(text).toContain('Rule R-1 version 2, set on series PIL-01');
    expect(text).toContain('The clock: date of the document on 29 Feb 2020');
    await stage.press('The record after');
    expect(stage.text()).toContain('1 Jan 2029 → 1 Jan 2033');
    await stage.press('The record after');
    expect(stage.text()).toContain('1 of 2 that it may govern');
  });

  it('shows the record that moves farthest when it is asked for', async () => {
    const stage = await show();
    await typed(stage, years(9));
    await stage.until(() => stage.text().includes('Moved farthest'));
    stage.host.querySelector<HTMLButtonElement>('button[title="Log 2"]')!.click();
    await stage.settle();
    expect(stage.text()).toContain('2 of 2 that it may govern');
  });

  it('says of a record that it does not reach what it would say if it did', async () => {
    const stage = await show(years(9));
    // As the field of records does when one is chosen.
    (stage.fixture.componentInstance as unknown as { seek(ids: string[]): void }).seek(['9']);
    await stage.answer('/api/records/9/case', { cases: [one('9', '2021-01-01', { candidates: [] })], rules: {} });
    expect(stage.text()).toContain('This rule is not set on it or around it. If it were:');
    expect(stage.text()).toContain('no rule → 1 Jan 2030');
    (stage.fixture.componentInstance as unknown as { seek(ids: string[]): void }).seek(['8']);
    await stage.refuse('/api/records/8/case', 'This record does not exist here.', undefined, 404);
    expect(stage.text()).toContain('This record does not exist here.');
    await stage.press('The record before');
    expect(stage.text()).toContain('2 of 2 that it may govern');
  });

  it('keeps what it said while a period is half typed, and says so', async () => {
    const stage = await show(years(9));
    await stage.until(() => stage.text().includes('2 get a later date.'));
    await typed(stage, years(9, { steps: [{ ...years(9).steps[0]!, after: 'P1' }] }));
    expect(stage.text()).toContain('Work is still in progress; this is the state before it.');
    expect(stage.text()).toContain('2 get a later date.');
    expect(stage.text()).toContain('28 Feb 2025 → 28 Feb 2029');
  });

  it('works on a date as well', async () => {
    const stage = await show();
    await stage.press('A date');
    await stage.type('#example-on', '2024-02-29');
    expect(stage.text()).toContain('destroyed from 28 Feb 2029');
  });

  it('of a rule that was never saved asks for no records', async () => {
    const stage = await Stage.show(DraftTrial, { draft: draft(years(2), { ruleId: '', code: '' }) });
    stage.http.verify();
    expect(stage.button('A date').getAttribute('aria-pressed')).toBe('true');
    await stage.press('A record');
    expect(stage.text()).toContain('It reaches no record yet.');
  });

  it('says when it is tried on the first of many only', async () => {
    const stage = await show(years(9), true);
    const said = 'These are the 2 filed first of those it may govern.';
    await stage.until(() => stage.text().includes(said));
    expect(stage.text()).toContain(said);
  });
});
