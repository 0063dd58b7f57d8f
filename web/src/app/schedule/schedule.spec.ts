import { TestBed } from '@angular/core/testing';
import { Router } from '@angular/router';
import type { RuleDefinition, RuleLine, RulePage as Page } from '@key-cellar/contract';
import { Stage, testingProviders } from '../kit/testing';
import { RulePage } from './rulePage';
import { SchedulePage } from './schedulePage';

const definition: RuleDefinition = {
  title: 'Near misses',
  authority: 'Sound Compact, art. 22',
  jurisdictions: [],
  trigger: { kind: 'event', eventType: 'inquiry closed', occurrence: 'last' },
  cutoff: { kind: 'calendarYear' },
  steps: [
    { kind: 'askOwner', after: 'P7Y', from: 'clockStart', repeatEvery: 'P30D', approvals: 0, noticeDays: 0 },
    { kind: 'destroy', after: 'P10Y', from: 'clockStart', approvals: 2, noticeDays: 21 },
  ],
};
const version = (no: number, inForceFrom: string): Page['versions'][number] => ({
  id: `v${no}`,
  version: no,
  definition,
  inForceFrom,
  takesOver: 'all',
  publishedBy: 'Ines',
  publishedAt: '2021-02-01T09:00:00Z',
  withdrawn: null,
});
const page: Page = {
  id: 'r',
  code: 'R-SAF-4',
  revision: 3,
  draft: null,
  draftSaved: null,
  versions: [version(2, '2021-02-01'), version(1, '2008-01-01')],
  setOn: [{ placeId: 's', code: 'PIL-03', title: 'Near misses' }],
  pairs: [],
  criteria: [],
  records: 100,
};
const line = (code: string, changes: Partial<RuleLine> = {}): RuleLine => ({
  id: code,
  code,
  version: 1,
  definition,
  inForceFrom: '2003-01-01',
  hasDraft: false,
  setOn: [],
  records: 10,
  ...changes,
});

describe('the schedule', () => {
  beforeEach(() => TestBed.configureTestingModule({ providers: testingProviders }));
  const show = async (rules: RuleLine[], who = {}): Promise<Stage<SchedulePage>> => {
    const stage = await Stage.show(SchedulePage, {}, who);
    await stage.answer('/api/rules', { rules });
    return stage;
  };

  it('says how many records its rules date, and which have drafts', async () => {
    const text = (await show([line('R-1'), line('R-2', { hasDraft: true, records: 5 })])).text();
    expect(text).toContain('2 rules date 15 records. One has a draft.');
    expect(text).toContain('event “inquiry closed”');
  });

  it('finds rules by code, title and authority', async () => {
    const stage = await show([line('R-1'), line('R-2', { definition: { ...definition, title: 'Leases', authority: 'Board 2009/2' } })]);
    const shown = (): string[] => [...stage.host.querySelectorAll('tbody code:first-of-type')].map((c) => c.textContent!.trim());
    await stage.type('input', 'board');
    expect(shown()).toContain('R-2');
    expect(stage.text()).not.toContain('R-1');
    await stage.type('input', 'nothing like it');
    expect(stage.text()).toContain('Begin one, publish it, and set it on a series.');
  });

  it('is changed by keepers only', async () => {
    const stage = await show([line('R-1')], { rights: ['discover'] });
    expect(() => stage.button('New rule')).toThrow();
  });
});

describe('a rule', () => {
  beforeEach(() => TestBed.configureTestingModule({ providers: testingProviders }));
  const show = async (changes: Partial<Page> = {}, who = {}): Promise<Stage<RulePage>> => {
    const stage = await Stage.show(RulePage, { id: 'r' }, who);
    await stage.answer('/api/rules/r', { ...page, ...changes });
    return stage;
  };

  it('shows the version in force, not one to come', async () => {
    const text = (await show({ versions: [version(3, '2030-01-01'), ...page.versions] })).text();
    expect(text).toContain('Version 2 in force since 1 Feb 2021, dates 100 records.');
    expect(text).toContain('Version 3 announced for 1 Jan 2030, all records');
  });

  it('works its example out as one types, without asking the server', async () => {
    const stage = await show();
    await stage.press('Edit as a draft');
    await stage.answer('/api/rules/r/cases', { cases: [], rules: {}, more: false });
    await stage.type('#example-on', '2026-05-05');
    expect(stage.text()).toContain('the clock starts on 1 Jan 2027');
    expect(stage.text()).toContain('destroyed from 1 Jan 2037');
    await stage.type('#step-after-1', 'P12Y');
    expect(stage.text()).toContain('destroyed from 1 Jan 2039');
    await stage.choose('rule-cutoff', /fiscal/);
    await stage.choose('rule-month', 'October');
    expect(stage.text()).toContain('the clock starts on 1 Oct 2026');
    // Besides what the fields offer nothing was asked.
    for (const offered of ['/api/jurisdictions', '/api/people', '/api/event-types']) stage.http.expectOne(offered);
    for (const reach of stage.http.match('/api/rules/r/reach')) reach.flush({ vintages: [], ahead: [], meets: [] });
    stage.http.verify();
  });

  it('says what is wrong once the field is left, and is not saved so', async () => {
    const stage = await show();
    await stage.press('Edit as a draft');
    await stage.type('#step-after-1', 'ten years');
    expect(stage.host.querySelector('.wrong')).withContext('while one types').toBeNull();
    stage.host.querySelector('#step-after-1')!.dispatchEvent(new FocusEvent('focusout', { bubbles: true }));
    await stage.settle();
    expect(stage.host.querySelector('.wrong')!.textContent).toContain('must be a length of time such as 7 years');
    expect(stage.text()).toContain('Work is still in progress');
    await stage.type('#rule-title', '');
    await stage.press('Save draft');
    expect([...stage.host.querySelectorAll('.wrong')].map((w) => w.textContent)).toContain('must not be empty');
    await new Promise((resolve) => setTimeout(resolve));
    expect(document.activeElement!.id).withContext('the first that is wrong').toBe('rule-title');
    await stage.press('Publish …');
    stage.http.expectNone('/api/rules/r/draft');
    expect(document.querySelector('.p-drawer')).withContext('nothing to publish yet').toBeNull();
    await stage.type('#rule-title', 'Near misses');
    await stage.type('#step-after-1', '10 years');
    expect(stage.host.querySelector('.wrong')).toBeNull();
    await stage.press('Save draft');
    expect((await stage.answer('/api/rules/r/draft', { revision: 4 })).request.body.definition.steps[1].after).toBe('P10Y');
  });

  it('takes its steps in another order, and knows first from last events and facts by their names', async () => {
    const stage = await show();
    await stage.press('Edit as a draft');
    await stage.answer('/api/rules/r/cases', { cases: [], rules: {}, more: false });
    await stage.answer('/api/event-types', { types: [{ name: 'vessel scrapped', events: 0, rules: 1 }] });
    expect([...stage.host.querySelectorAll<HTMLOptionElement>('datalist option')].map((o) => o.value)).toEqual(['vessel scrapped']);
    await stage.type('#rule-event', 'lease ended');
    await stage.choose('rule-occurrence', /first/);
    await stage.press('Add a step');
    await stage.press('Step 2 earlier');
    await stage.type('#step-after-0', '18 months');
    await stage.press('Save draft');
    const saved = (await stage.answer('/api/rules/r/draft', { revision: 4 })).request.body.definition as Page['draft'] & object;
    expect(saved.trigger).toEqual({ kind: 'event', eventType: 'lease ended', occurrence: 'first' });
    expect(saved.steps.map((s) => [s.kind, s.after])).toEqual([
      [definition.steps[0]!.kind, 'P18M'],
      ['review', 'P1Y'],
      [definition.steps[1]!.kind, definition.steps[1]!.after],
    ]);
    await stage.answer('/api/rules/r', { ...page, revision: 4, draft: saved });
    await stage.choose('rule-trigger', 'a date fact');
    await stage.answer('/api/record-types', {
      types: [
        {
          code: 'lease',
          title: 'Lease',
          version: 1,
          retired: false,
          facts: [{ code: 'ends', title: 'Ends on', kind: 'date', required: false }],
        },
        {
          code: 'permit',
          title: 'Permit',
          version: 1,
          retired: false,
          facts: [
            { code: 'ends', title: 'Ends on', kind: 'date', required: false },
            { code: 'no', title: 'No.', kind: 'text', required: true },
          ],
        },
      ],
    });
    await stage.choose('rule-fact', 'Ends on (Lease, Permit)');
    await stage.press('Save draft');
    expect((await stage.request('/api/rules/r/draft')).request.body.definition.trigger).toEqual({ kind: 'fact', fact: 'ends' });
  });

  it('saves what was changed at the revision it was read at', async () => {
    const stage = await show();
    await stage.press('Edit as a draft');
    await stage.answer('/api/jurisdictions', { jurisdictions: [{ name: 'Northshore', partOf: null, rules: 0, places: 0 }] });
    document.getElementById('rule-jurisdictions')!.closest<HTMLElement>('.p-multiselect')!.click();
    await stage.settle();
    document.querySelector<HTMLElement>('[role="option"]')!.click();
    await stage.settle();
    await stage.type('#rule-link', 'https://compact.example/art-22');
    await stage.press('Save draft');
    const request = await stage.answer('/api/rules/r/draft', { revision: 4 });
    expect(request.request.body.revision).toBe(3);
    expect(request.request.body.definition.jurisdictions).toEqual(['Northshore']);
    expect(request.request.body.definition.link).toBe('https://compact.example/art-22');
    await stage.answer('/api/rules/r/cases', { cases: [], rules: {}, more: false });
    await stage.answer('/api/rules/r', { ...page, revision: 4, draft: request.request.body.definition });
    expect(stage.button('Save draft').disabled).toBeTrue();
  });

  it('shows what is announced when another version is published, and withdraws it with a reason', async () => {
    const { versions } = page;
    const stage = await show({ versions: [version(3, '2027-01-01'), ...versions] });
    expect(stage.text()).toContain('Withdraw …');
    await stage.press('Withdraw …');
    expect(stage.text()).toContain('Version 3 will not come into force on 1 Jan 2027.');
    expect(stage.button('Withdraw version 3').disabled).toBeTrue();
    await stage.type('#withdraw-reason', 'The ministry took it back.');
    await stage.press('Withdraw version 3');
    expect((await stage.answer('/api/rules/r/versions/3/withdraw', {})).request.body).toEqual({ reason: 'The ministry took it back.' });
    const withdrawn = { by: 'Ines', at: '2026-09-14T09:00:00Z', reason: 'The ministry took it back.' };
    await stage.answer('/api/rules/r', { ...page, versions: [{ ...version(3, '2027-01-01'), withdrawn }, ...versions] });
    expect(stage.text()).toContain('was announced for 1 Jan 2027 and withdrawn');
    expect(stage.text()).not.toContain('Withdraw …');
    expect(stage.text()).toContain('Version 2 in force');
  });

  it('keeps the draft when somebody else was faster, and says so', async () => {
    const stage = await show();
    await stage.press('Edit as a draft');
    await stage.type('#step-after-1', 'P15Y');
    await stage.press('Save draft');
    await stage.answer('/api/rules/r/cases', { cases: [], rules: {}, more: false });
    await stage.refuse('/api/rules/r/draft', 'Somebody changed this after you opened it.', undefined, 412);
    expect(stage.text()).toContain('Somebody changed this after you opened it.');
    const theirs = {
      ...definition,
      title: 'Near misses and strandings',
      steps: [definition.steps[0]!, { ...definition.steps[1]!, after: 'P12Y' }],
    };
    const after = {
      ...page,
      revision: 5,
      versions: [{ ...version(3, '2026-09-01'), definition: theirs, publishedBy: 'Tomas Vell' }, ...page.versions],
    };
    await stage.answer('/api/rules/r', after);
    expect(stage.text()).toContain('Tomas Vell published version 3 while you were editing.');
    expect(stage.text()).toContain('Near misses → Near misses and strandings');
    expect(stage.text()).toContain('yours: destroyed 15 years after the clock starts');
    expect(document.querySelector<HTMLInputElement>('#step-after-1')!.value).toBe('P15Y');
    // On top of theirs: the draft stays as it was typed, and is saved at their revision.
    await stage.press('Keep my edits on top');
    await stage.answer('/api/rules/r', after);
    expect(document.querySelector<HTMLInputElement>('#step-after-1')!.value).toBe('P15Y');
    await stage.press('Save draft');
    expect((await stage.answer('/api/rules/r/draft', { revision: 6 })).request.body.revision).toBe(5);
  });

  it('saves before it publishes, and shows the work that follows', async () => {
    const stage = await show();
    await stage.press('Edit as a draft');
    await stage.type('#step-after-1', 'P12Y');
    await stage.press('Publish …');
    expect(stage.sheet.textContent).toContain('A published version never changes.');
    await stage.type('#in-force', '2026-10-01');
    stage.sheet.querySelector<HTMLInputElement>('input[value="laterClocks"]')!.click();
    await stage.settle();
    await stage.press('Publish');
    await stage.answer('/api/rules/r/draft', { revision: 4 });
    const request = await stage.answer('/api/rules/r/publish', { version: 3, jobId: 'j' });
    expect(request.request.body).toEqual({ revision: 4, inForceFrom: '2026-10-01', takesOver: 'laterClocks' });
    expect(stage.host.querySelector('kc-job-progress')).not.toBeNull();
  });

  it('that never starts a clock keeps for good', async () => {
    const stage = await show();
    await stage.press('Edit as a draft');
    await stage.choose('rule-trigger', /kept for good/);
    expect(stage.text()).toContain('It is kept for good.');
    expect(document.querySelector('#example-on')).toBeNull();
  });

  it('gets steps, loses them, and asks for approvals where it disposes', async () => {
    const stage = await show();
    await stage.press('Edit as a draft');
    await stage.press('Add a step');
    expect(stage.host.querySelectorAll('fieldset').length).toBe(3);
    await stage.press('Remove step 1');
    expect(document.querySelector('#step-approvals-0')).toBeNull();
    await stage.choose('step-kind-1', /transferred/);
    expect(document.querySelector<HTMLInputElement>('#step-approvals-1')!.value).toBe('1');
    expect(document.querySelector<HTMLInputElement>('#step-notice-1')!.value).toBe('14');
  });

  it('drops a draft that was never saved without asking anybody, a saved one on the server', async () => {
    const stage = await show();
    await stage.press('Edit as a draft');
    await stage.press('Discard the draft');
    stage.http.expectNone('/api/rules/r/draft/drop');
    expect(() => stage.button('Edit as a draft')).not.toThrow();
  });

  it('is read, not edited, by those who may not', async () => {
    const stage = await show({}, { rights: ['discover'] });
    expect(() => stage.button('Edit as a draft')).toThrow();
    expect(stage.text()).toContain('2 approvals, 21 days of notice');
  });

  it('reads in words, each step with its period', async () => {
    const words = [...(await show()).host.querySelectorAll('dl dd')].map((d) => d.textContent!.trim());
    expect(words.slice(-2)).toEqual([
      'the owner is asked 7 years after the clock starts, again every 30 days',
      'destroyed 10 years after the clock starts, 2 approvals, 21 days of notice',
    ]);
  });

  it('shows two versions side by side and marks what differs, the draft too', async () => {
    const older = { ...definition, authority: 'Sound Compact, art. 20', steps: [{ ...definition.steps[1]!, after: 'P8Y' }] };
    const versions = [page.versions[0]!, { ...page.versions[1]!, definition: older }];
    const stage = await show({ versions });
    await stage.press('Compare');
    const marked = (): string[] =>
      [...stage.sheet.querySelectorAll('tr.differs')].map((r) => [...r.children].map((c) => c.textContent!.trim()).join(' | '));
    expect(marked()).toEqual([
      jasmine.stringMatching(/^Authority.*art. 20 \| Sound Compact, art. 22$/),
      jasmine.stringMatching(/^Step 1.*destroyed 8 years .* \| the owner is asked 7 years/),
      jasmine.stringMatching(/^Step 2.* no such step \| destroyed 10 years/),
    ]);
    expect(stage.sheet.textContent).toContain('They differ in 3 lines.');
    await stage.choose('compare-left', /Version 2/);
    expect(marked()).toEqual([]);
    expect(stage.sheet.textContent).toContain('They are identical.');
    await stage.press('Edit as a draft');
    await stage.type('#rule-title', 'Near misses and strandings');
    expect(marked()).toEqual([jasmine.stringMatching(/^Title.*Near misses \| Near misses and strandings$/)]);
  });

  it('goes on with what somebody else did, when one wants that', async () => {
    const stage = await show();
    await stage.press('Edit as a draft');
    await stage.answer('/api/rules/r/cases', { cases: [], rules: {}, more: false });
    await stage.type('#rule-title', 'Mine');
    await stage.press('Save draft');
    await stage.refuse('/api/rules/r/draft', 'Somebody changed this after you opened it.', undefined, 412);
    const after = {
      ...page,
      revision: 4,
      draft: { ...definition, title: 'Theirs' },
      draftSaved: { by: 'Tomas Vell', at: '2026-09-14T08:00:00Z' },
    };
    await stage.answer('/api/rules/r', after);
    expect(stage.text()).toContain('Tomas Vell saved another draft while you were editing.');
    await stage.press('Take theirs');
    await stage.answer('/api/rules/r', after);
    expect(document.querySelector<HTMLInputElement>('#rule-title')!.value).toBe('Theirs');
    expect(stage.button('Save draft').disabled).toBeTrue();
  });

  it('says so when somebody dropped the draft that one was editing', async () => {
    const stage = await show({ draft: definition, draftSaved: { by: 'Tomas Vell', at: '2026-09-14T08:00:00Z' } });
    expect(stage.text()).toContain('Draft of Tomas Vell, 14 Sep 2026');
    await stage.answer('/api/rules/r/cases', { cases: [], rules: {}, more: false });
    await stage.type('#rule-title', 'Mine');
    await stage.press('Save draft');
    await stage.refuse('/api/rules/r/draft', 'Somebody changed this after you opened it.', undefined, 412);
    await stage.answer('/api/rules/r', { ...page, revision: 4 });
    expect(stage.text()).toContain('Somebody discarded the draft while you were editing.');
    expect(document.querySelector<HTMLInputElement>('#rule-title')!.value).toBe('Mine');
  });

  it('begins with a code of its own', async () => {
    const stage = await Stage.show(RulePage);
    const go = spyOn(TestBed.inject(Router), 'navigate').and.resolveTo(true);
    await stage.press('Save draft');
    expect([...stage.host.querySelectorAll('.wrong')].map((w) => w.textContent)).toEqual([
      'must be capital letters, digits and hyphens, such as R-BER-6',
      'must not be empty',
      'must not be empty',
    ]);
    await stage.type('#rule-code', 'R-NEW-1');
    await stage.type('#rule-title', 'New papers');
    await stage.type('#rule-authority', 'Board 2026/1');
    await stage.press('Save draft');
    const request = await stage.answer('/api/rules', { id: 'n' });
    expect(request.request.body.code).toBe('R-NEW-1');
    expect(go).toHaveBeenCalledWith(['/schedule', 'n']);
  });

  it('says the earliest of several, what stops the clock, what the period means and what lies before its date', async () => {
    const stage = await show();
    await stage.press('Edit as a draft');
    await stage.answer('/api/rules/r/cases', { cases: [], rules: {}, more: false });
    await stage.answer('/api/event-types', { types: [] });
    await stage.choose('rule-trigger', 'the earliest of several');
    await stage.answer('/api/event-types', { types: [] });
    await stage.type('#part-after-0', '6 years');
    await stage.choose('part-kind-1', 'a date of the record');
    await stage.type('#part-after-1', '20 years');
    await stage.press('Add another');
    await stage.press('Remove part 3');
    await stage.press('Stop the clock between two events');
    for (const request of stage.http.match('/api/event-types')) request.flush({ types: [] });
    await stage.type('#rule-stops', 'appeal lodged');
    await stage.type('#rule-resumes', 'appeal lodged');
    await stage.press('Save draft');
    expect(stage.text()).toContain('must be another event than the one that stops it');
    await stage.type('#rule-resumes', 'appeal decided');
    await stage.choose('rule-basis', /customary/);
    await stage.choose('rule-sample', 'a share by lot');
    await stage.type('#rule-sample-n', '50');
    await stage.choose('step-from-0', 'before its date');
    await stage.type('#step-after-0', '90 days');
    await stage.choose('step-days-0', 'working days');
    await stage.press('Save draft');
    const saved = (await stage.answer('/api/rules/r/draft', { revision: 4 })).request.body.definition as RuleDefinition;
    expect(saved.trigger).toEqual({
      kind: 'earliest',
      of: [
        { trigger: { kind: 'event', eventType: 'inquiry closed', occurrence: 'last' }, after: 'P6Y' },
        { trigger: { kind: 'recordDate', date: 'created' }, after: 'P20Y' },
      ],
    });
    expect([saved.suspension, saved.basis, saved.sample]).toEqual([
      { stops: 'appeal lodged', resumes: 'appeal decided' },
      'customary',
      { kind: 'share', n: 50 },
    ]);
    expect(saved.steps[0]).toEqual(jasmine.objectContaining({ from: 'beforeTrigger', after: 'P90D', workingDays: true }));
    await stage.answer('/api/rules/r', { ...page, revision: 4, draft: saved });
    // A period of years has no working days, and what ends it all lies not before its date.
    await stage.type('#step-after-0', '1 year');
    expect(document.querySelector('#step-days-0')).toBeNull();
    await stage.choose('step-kind-0', 'transferred to the archive');
    await stage.press('Save draft');
    expect(stage.text()).toContain('cannot be followed by anything: it destroys or transfers');
  });

  it('rolls to a named year of the list', async () => {
    const stage = await show();
    await stage.press('Edit as a draft');
    await stage.answer('/api/rules/r/cases', { cases: [], rules: {}, more: false });
    await stage.choose('rule-cutoff', /named/);
    for (const request of stage.http.match('/api/named-years'))
      request.flush({ years: [{ name: 'Board term', ends: ['2026-06-30', '2030-06-30'], rules: 0 }] });
    await stage.settle();
    await stage.press('Save draft');
    expect(stage.text()).toContain('must be chosen; years are listed under Events and years');
    await stage.choose('rule-year', 'Board term');
    await stage.type('#example-on', '2026-07-01');
    expect(stage.text()).toContain('the clock starts on 1 Jul 2030');
  });
});
