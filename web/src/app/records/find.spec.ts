import { TestBed } from '@angular/core/testing';
import { Router } from '@angular/router';
import { Stage, testingProviders } from '../kit/testing';
import { FindPage } from './findPage';

const record = (n: number) => ({
  id: `00000000-0000-4000-8000-0000000000${String(n).padStart(2, '0')}`,
  number: `BER-02/2024/${String(n).padStart(4, '0')}`,
  title: `Bollard test ${n}`,
  medium: 'electronic',
  recordType: 'inspection',
  placeId: 's',
  placeCode: 'BER-02',
  state: 'working',
  createdOn: '2024-05-05',
  filedOn: '2024-05-06',
  declaredOn: null,
  outcome: 'dated',
  clockStart: '2025-01-01',
  dueOn: '2034-01-01',
  action: 'destroy',
  docket: 'none',
  held: 0,
  heldSince: null,
  gaps: 0,
  size: 100,
  mediaType: 'text/plain',
  disposedOn: null,
  facts: { vessel: 'v1', tons: n },
});

describe('find', () => {
  beforeEach(() => TestBed.configureTestingModule({ providers: testingProviders }));
  const show = async (inputs: Record<string, unknown> = {}, found = 3): Promise<Stage<FindPage>> => {
    const stage = await Stage.show(FindPage, inputs);
    stage.host.style.height = '600px';
    for (const r of stage.http.match('/api/record-types'))
      r.flush({
        types: [
          {
            code: 'inspection',
            title: 'Inspection report',
            facts: [
              { code: 'vessel', title: 'Vessel', kind: 'object', required: false },
              { code: 'tons', title: 'Tons', kind: 'decimal', required: false },
            ],
          },
          { code: 'note', title: 'Note', facts: [{ code: 'topic', title: 'Topic', kind: 'text', required: false }] },
        ],
      });
    for (const r of stage.http.match((q) => q.url === '/api/plan'))
      r.flush({
        places: [
          {
            id: 's',
            kind: 'series',
            parentId: null,
            code: 'BER-02',
            title: 'Inspections',
            closedOn: null,
            shut: null,
            rules: [],
            discover: true,
            deposit: true,
            counts: null,
          },
        ],
      });
    await answerList(stage, found);
    return stage;
  };
  const answerList = async (stage: Stage<FindPage>, found: number): Promise<string[]> => {
    const asked: string[] = [];
    for (let round = 0; round < 4; round++) {
      for (const r of stage.http.match((q) => q.url === '/api/records/count')) {
        asked.push(r.request.urlWithParams);
        r.flush({ count: found });
      }
      for (const r of stage.http.match((q) => q.url === '/api/records')) {
        asked.push(r.request.urlWithParams);
        r.flush({ records: Array.from({ length: found }, (_, i) => record(i + 1)), factNames: { v1: 'Ottoline' }, next: null });
      }
      await stage.settle();
    }
    return asked;
  };

  it('asks for what the address says, and says what was found', async () => {
    const stage = await Stage.show(FindPage, { words: 'bollard', show: 'due', under: 's', vintage: '2024' });
    const asked = await answerList(stage, 1);
    const query = new URLSearchParams(asked.find((a) => a.startsWith('/api/records/count'))!.split('?')[1]);
    expect(Object.fromEntries(query)).toEqual(jasmine.objectContaining({ words: 'bollard', show: 'due', under: 's', vintage: '2024' }));
    expect(stage.text()).toContain('1 record');
    expect(stage.text()).toContain('“bollard”');
  });

  it('saves all that it found, in its order', async () => {
    const stage = await Stage.show(FindPage, { words: 'bollard', sort: 'due', down: 'true', columns: 'title,fact.vessel' });
    await answerList(stage, 1);
    await stage.press('Export …');
    const saved = [...document.querySelectorAll<HTMLAnchorElement>('.p-menu a')].map((a) => new URL(a.href));
    expect(saved.map((url) => [url.pathname, url.searchParams.get('format')])).toEqual(
      ['csv', 'xlsx', 'json'].map((format) => ['/api/records/export', format]),
    );
    expect(Object.fromEntries(saved[0]!.searchParams)).toEqual(
      jasmine.objectContaining({ words: 'bollard', sort: 'due', descending: 'true' }),
    );
  });

  it('offers to save nothing where nothing was found', async () => {
    const stage = await show({ words: 'nothing' }, 0);
    expect(stage.host.querySelector('kc-export-menu')).toBeNull();
  });

  it('narrows through the address, and clears all of it at once', async () => {
    const stage = await show({ type: 'inspection' });
    const go = spyOn(TestBed.inject(Router), 'navigate').and.resolveTo(true);
    await stage.choose('find-place', 'BER-02 Inspections');
    expect(go.calls.mostRecent().args[1]!.queryParams).toEqual({ under: 's' });
    await stage.choose('find-state', /held/);
    expect(go.calls.mostRecent().args[1]!.queryParams).toEqual({ show: 'held' });
    await stage.press('Clear');
    // Nothing is merged in: what narrowed the list is gone from the address.
    expect(go.calls.mostRecent().args[1]!.queryParams).toEqual({});
    expect(go.calls.mostRecent().args[1]!.queryParamsHandling).not.toBe('merge');
  });

  const vocabulary = {
    recordTypes: [{ id: 'inspection', name: 'Inspection report' }],
    facts: [{ code: 'vessel', title: 'Vessel', kind: 'text' }],
    places: [{ id: '00000000-0000-4000-8000-000000000099', name: 'BER-02 Inspections', also: ['BER-02'] }],
    people: [],
    holds: [],
    detectors: [],
  };

  it('follows a condition from the address, once it knows what it may speak of', async () => {
    const stage = await Stage.show(FindPage, { where: 'under BER-02 and not held' });
    expect(await answerList(stage, 3)).toEqual([]);
    await stage.answer('/api/criteria/vocabulary', vocabulary);
    const asked = await answerList(stage, 3);
    const query = new URLSearchParams(asked[0]!.split('?')[1]);
    expect(JSON.parse(query.get('criteria')!)).toEqual({
      op: 'and',
      of: [
        { op: 'under', placeId: '00000000-0000-4000-8000-000000000099', name: 'BER-02 Inspections' },
        { op: 'not', of: { op: 'held' } },
      ],
    });
  });

  it('puts a condition into the address as it is typed, but not a wrong one', async () => {
    const stage = await show();
    await stage.press('Condition');
    await stage.answer('/api/criteria/vocabulary', vocabulary);
    const go = spyOn(TestBed.inject(Router), 'navigate').and.resolveTo(true);
    await stage.type('#find-where', 'vesel is Ottoline');
    expect(go).not.toHaveBeenCalled();
    expect(stage.text()).toContain('“vesel” is not a condition that is known here.');
    await stage.press('Vessel?');
    expect(document.querySelector<HTMLTextAreaElement>('#find-where')!.value).toBe('Vessel is Ottoline');
    expect(go.calls.mostRecent().args[1]!.queryParams).toEqual({ where: 'Vessel is Ottoline' });
  });

  it('shows facts in columns of their own, asks for no other, and keeps what is marked', async () => {
    const stage = await show({ columns: 'number,title,fact.vessel,fact.gone', type: 'inspection' });
    const asked = await answerList(stage, 3);
    expect(asked.every((a) => !a.includes('fact.gone'))).toBeTrue();
    const heads = [...stage.host.querySelectorAll('[role=columnheader]')].map((h) => h.textContent!.trim());
    expect(heads).toEqual(['', 'Number ↑', 'Title', 'Vessel']);
    const first = stage.host.querySelector('[data-index="0"]')!;
    expect(first.lastElementChild!.textContent).toBe('Ottoline');
    const go = spyOn(TestBed.inject(Router), 'navigate').and.resolveTo(true);
    first.querySelector('input')!.click();
    await stage.press('Columns');
    // Facts of the type that is looked at; those of others would stay empty.
    const offered = [...document.querySelectorAll('.columns.facts label')].map((l) => l.textContent!.trim());
    expect(offered).toEqual(['Tons', 'Vessel']);
    document.querySelector<HTMLInputElement>('.columns.facts input')!.click();
    expect(go.calls.mostRecent().args[1]!.queryParams).toEqual({ columns: 'number,title,fact.vessel,fact.tons' });
    await stage.settle();
    expect(stage.text()).toContain('1 marked');
  });

  it('says that it is loading, when that takes a moment, and nothing once it failed', async () => {
    const stage = await Stage.show(FindPage, {});
    await stage.settle();
    expect(stage.host.querySelector('.soon')!.textContent).toBe('Loading …');
    await answerList(stage, 1);
    expect(stage.host.querySelector('.soon')).toBeNull();
  });

  it('says what to try when nothing was found', async () => {
    const stage = await show({ words: 'zzzz' }, 0);
    expect(stage.text()).toContain('Try fewer words, another place or any state.');
  });

  it('has a name for each list, seen or not', async () => {
    const stage = await show();
    for (const [field, name] of [
      ['find-place', 'Place'],
      ['find-type', 'Record type'],
      ['find-state', 'State'],
    ]) {
      const labelled = document.getElementById(field!)!.getAttribute('aria-labelledby')!;
      expect(document.getElementById(labelled)!.textContent).toBe(name!);
    }
    expect(stage.host.querySelectorAll('kc-choice label.sr').length).toBe(3);
  });
});
