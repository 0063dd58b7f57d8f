import { TestBed } from '@angular/core/testing';
import type { PlacePage, SplitOutcome } from '@key-cellar/contract';
import { Stage, testingProviders } from '../kit/testing';
import { SplitSheet } from './splitSheet';

const place = {
  id: 's',
  kind: 'series',
  code: 'LET-01',
  title: 'Letters',
  revision: 3,
  inside: [{ id: 'f', kind: 'folder', code: 'N', title: 'North' }],
} as unknown as PlacePage;
const types = {
  types: [
    {
      code: 'letter',
      title: 'Letter',
      version: 1,
      retired: false,
      facts: [{ code: 'side', title: 'Side', kind: 'text', required: false }],
    },
  ],
};
const outcome = (placeId: string | null): SplitOutcome => ({
  parts: [{ placeId, code: 'LET-02', title: 'Letters, north', folders: 1, divided: 2, records: 30 }],
  stays: 12,
  declared: 1,
  frozen: 2,
  dates: placeId ? null : { of: 30, looked: 30, earlier: 0, later: 0, first: 0, none: 0 },
});

describe('splitting a series', () => {
  beforeEach(() => TestBed.configureTestingModule({ providers: testingProviders }));
  const show = async (): Promise<Stage<SplitSheet>> => {
    const stage = await Stage.show(SplitSheet, { open: true, place });
    await stage.answer('/api/record-types', types);
    return stage;
  };
  const words = (stage: Stage<SplitSheet>): string => stage.sheet.textContent!.replace(/\s+/g, ' ');

  it('is tried first, and carried out with a reason', async () => {
    const stage = await show();
    await stage.press('Chosen folders');
    await stage.type('#split-code', 'LET-02');
    await stage.choose('split-folders', 'N North');
    await stage.press('Try it');
    const tried = await stage.answer('/api/places/s/split', outcome(null));
    expect(tried.request.body).toEqual({
      revision: 3,
      parts: [{ code: 'LET-02', title: 'Letters', which: { by: 'list', folderIds: ['f'], numbers: [] } }],
      again: false,
      dryRun: true,
    });
    for (const said of [
      '30 records, 1 folder whole, 2 divided',
      '12 records stay',
      'One declared record leaves',
      '2 records stay: a hold',
      'No due date moves.',
    ])
      expect(words(stage)).toContain(said);
    expect(stage.button('Split it').disabled).toBeTrue();
    await stage.type('#split-reason', 'North has its own office');
    await stage.press('Split it');
    const done = await stage.answer('/api/places/s/split', outcome('new'));
    expect(done.request.body).toEqual(jasmine.objectContaining({ dryRun: false, reason: 'North has its own office' }));
    expect(stage.sheet.querySelector('a[href="/plan/new"]')).not.toBeNull();
  });

  it('goes by the values of a fact, each with a series of its own', async () => {
    const stage = await show();
    await stage.press('By a fact');
    await stage.choose('split-fact', 'Side');
    await stage.answer('/api/places/s/fact-values?fact=side', {
      values: [
        { value: 'north', records: 30 },
        { value: 'south', records: 12 },
      ],
      without: 5,
      factNames: {},
    });
    expect(words(stage)).toContain('5 records have no value and stay.');
    expect(stage.button('Try it').disabled).toBeTrue();
    stage.sheet.querySelectorAll<HTMLInputElement>('input[type=checkbox]')[0]!.click();
    await stage.settle();
    await stage.press('Try it');
    const { request } = await stage.request('/api/places/s/split');
    expect((request.body as { parts: unknown[] }).parts).toEqual([
      { code: 'LET-01-1', title: 'Letters, north', which: { by: 'criteria', criteria: { op: 'fact', fact: 'side', value: 'north' } } },
    ]);
  });

  it('forgets what was tried when something is changed, and gives a code of before only when it was told', async () => {
    const stage = await show();
    await stage.press('Chosen folders');
    await stage.type('#split-code', 'LET-02');
    await stage.choose('split-folders', 'N North');
    await stage.press('Try it');
    await stage.answer(
      '/api/places/s/split',
      { type: 'urn:key-cellar:problem:code-given-before', title: '', status: 409, detail: 'It was.' },
      409,
    );
    await stage.press('Give it all the same');
    const again = await stage.answer('/api/places/s/split', outcome(null));
    expect((again.request.body as { again: boolean }).again).toBeTrue();
    await stage.type('#split-reason', 'North has its own office');
    expect(stage.button('Split it').disabled).toBeFalse();
    await stage.type('#split-code', 'LET-03');
    expect(stage.button('Split it').disabled).toBeTrue();
  });
});
