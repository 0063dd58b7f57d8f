import { TestBed } from '@angular/core/testing';
import { Router } from '@angular/router';
import type { TodayLine } from '@key-cellar/contract';
import { Stage, testingProviders } from '../kit/testing';
import { Today } from './today';

const line = (key: string, when: TodayLine['when'], act: string): TodayLine => ({
  key,
  when,
  mark: 'due',
  sentence: `Batch ${key} waits for your decision`,
  detail: 'closed 31 Aug 2026',
  act,
  link: `/docket/${key}`,
});
const horizon = Array.from({ length: 24 }, (_, i) => ({
  month: `20${26 + Math.floor((i + 8) / 12)}-${String(((i + 8) % 12) + 1).padStart(2, '0')}`,
  destroy: i,
  transfer: 0,
  held: 0,
}));

describe('today', () => {
  beforeEach(() => TestBed.configureTestingModule({ providers: testingProviders }));
  const show = async (lines: TodayLine[]): Promise<Stage<Today>> => {
    const stage = await Stage.show(Today);
    await stage.answer('/api/today', { name: 'Ines Okafor-Lind', lines, horizon, firstSteps: null, watch: null });
    return stage;
  };

  it('greets, and says that nothing needs the person', async () => {
    const text = (await show([])).text();
    expect(text).toContain('Good day, Ines');
    expect(text).toContain('Nothing needs you today.');
  });

  it('leads whoever sets up an empty repository, step by step', async () => {
    const stage = await Stage.show(Today);
    const firstSteps = [
      { key: 'people', done: true, sentence: 'Add people', link: '/setup/people', quick: null },
      {
        key: 'plan',
        done: false,
        sentence: 'Build the plan',
        link: '/plan?view=outline',
        quick: { sentence: 'or from a kit', link: '/setup/packages#kits' },
      },
    ];
    await stage.answer('/api/today', {
      name: 'Ada',
      lines: [],
      horizon: horizon.map((bar) => ({ ...bar, destroy: 0 })),
      firstSteps,
      watch: null,
    });
    expect(stage.text()).toContain('Begin with the first steps.');
    expect(stage.text()).toContain('First steps · 1 of 2 done');
    const links = [...stage.host.querySelectorAll<HTMLAnchorElement>('kc-first-steps li a')];
    expect(links.map((a) => a.getAttribute('href'))).toEqual(['/setup/people', '/plan?view=outline', '/setup/packages#kits']);
    // Nothing was arranged that could come due.
    expect(stage.host.querySelector('kc-horizon')).toBeNull();
    expect(stage.host.querySelectorAll('li.done').length).toBe(1);
  });

  it('puts what is late first, under its own heading, with its act', async () => {
    const stage = await show([line('1', 'late', 'Decide'), line('2', 'week', 'Announce'), line('3', 'today', 'Execute')]);
    expect([...stage.host.querySelectorAll('h2')].map((h) => h.textContent)).toEqual(['Late', 'Today', 'This week']);
    expect(stage.text()).toContain('3 things need you. One is late.');
    expect(stage.text()).toContain('Fullest month of the coming year: September 2027, 12 records due.');
    expect(stage.text()).toContain('closed 31 Aug 2026');
    const go = spyOn(TestBed.inject(Router), 'navigateByUrl').and.resolveTo(true);
    await stage.press('Decide: Batch 1 waits for your decision');
    expect(go).toHaveBeenCalledWith('/docket/1');
  });

  it('shows an auditor what to look at, with the page of each', async () => {
    const stage = await Stage.show(Today);
    const entry = { seq: 9, at: '2026-09-14T08:00:00Z', actor: 'Ines Okafor-Lind', from: '127.0.0.1', before: null, after: null, leaf: 3 };
    const about = { subjectKind: 'record', subjectId: 'r1', subject: 'BER-01/7 Lease' };
    const watch = [
      { ...entry, ...about, act: 'revoked a declaration', words: 'revoked a declaration', note: 'by mistake' },
      { ...entry, seq: 8, act: 'granted', words: 'granted', subjectKind: 'setting', subjectId: null, subject: 'Reader', note: null },
    ];
    await stage.answer('/api/today', { name: 'Odile', lines: [], horizon, firstSteps: null, watch });
    expect(stage.text()).toContain('revoked a declaration by Ines Okafor-Lind');
    expect(stage.text()).toContain('by mistake');
    expect([...stage.host.querySelectorAll<HTMLAnchorElement>('.watch a')].map((a) => a.getAttribute('href'))).toEqual(['/records/r1']);
  });

  it('says to an auditor that there is nothing to look at yet', async () => {
    const stage = await Stage.show(Today);
    await stage.answer('/api/today', { name: 'Odile', lines: [], horizon, firstSteps: null, watch: [] });
    expect(stage.text()).toContain('Nobody has revoked, overridden, released or disposed of anything yet.');
  });

  it('keeps its head when the server fails', async () => {
    const stage = await Stage.show(Today);
    await stage.refuse('/api/today', 'The database is being restarted.', undefined, 503);
    expect(stage.text()).toContain('Good day, Ines');
    expect(stage.text()).toContain('The database is being restarted.');
  });
});
