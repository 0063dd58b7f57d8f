import { TestBed } from '@angular/core/testing';
import type { Dossier } from '@key-cellar/contract';
import { Stage, testingProviders } from '../kit/testing';
import { RuleOnDay } from './ruleOnDay';

const why = (summary: string): Dossier['why'] => ({
  outcome: 'waiting',
  summary,
  dueOn: null,
  action: null,
  governing: null,
  clock: null,
  cutoff: null,
  restartedOn: null,
  stops: [],
  cap: null,
  vintage: null,
  waitingSince: null,
  steps: [],
  override: null,
  yielded: [],
  holds: [],
  missing: [],
});

describe('the rule on a day', () => {
  beforeEach(() => TestBed.configureTestingModule({ providers: testingProviders }));

  it('is that of today until a day is asked for, and then of that day, as far as was known on another', async () => {
    const stage = await Stage.show(RuleOnDay, { recordId: 'r', why: why('Said today.') });
    expect(stage.text()).toContain('Said today.');
    expect(stage.host.querySelector('#as-known')).toBeNull();
    await stage.type('#as-of', '1 Mar 2020');
    await stage.answer('/api/records/r/rule?on=2020-03-01&known=2026-09-14', {
      explanation: why('Said of that day.'),
      since: '2024-01-01',
    });
    expect(stage.text()).toContain('On 1 Mar 2020, as known on 14 Sep 2026:');
    expect(stage.text()).toContain('Changes have been recorded since 1 Jan 2024');
    expect(stage.text()).toContain('Said of that day.');
    expect(stage.text()).not.toContain('Said today.');

    await stage.type('#as-known', '1 May 2021');
    await stage.answer('/api/records/r/rule?on=2020-03-01&known=2021-05-01', { explanation: why('Known then.'), since: null });
    await stage.answer('/api/records/r/rule?on=2020-03-01&known=2026-09-14', { explanation: why('Known now.'), since: null });
    expect(stage.text()).toContain('Known then.');
    expect(stage.text()).toContain('As known today: Known now.');
    await stage.press('Back to today');
    expect(stage.text()).toContain('Said today.');
  });

  it('says why a day cannot be told of', async () => {
    const stage = await Stage.show(RuleOnDay, { recordId: 'r', why: why('Said today.') });
    await stage.type('#as-of', '1 Mar 2020');
    await stage.refuse('/api/records/r/rule', 'Nothing was known of it then.', undefined, 422);
    expect(stage.text()).toContain('Nothing was known of it then.');
  });
});
