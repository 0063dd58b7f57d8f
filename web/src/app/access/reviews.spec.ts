import { TestBed } from '@angular/core/testing';
import type { ReviewLine, ReviewSummary } from '@key-cellar/contract';
import { Stage, testingProviders } from '../kit/testing';
import { ReviewPage } from './reviewPage';

const review: ReviewSummary = {
  ...{ id: 'r', title: 'Autumn', place: { id: 'p', code: 'ALL', title: 'All' }, dueOn: '2026-10-31', endsUnconfirmed: true },
  ...{ madeBy: 'Ines', madeOn: '2026-09-14', closedOn: null, lines: 3, answered: 1, mine: 2, mayClose: true },
};
const line = (name: string, more: Partial<ReviewLine> = {}): ReviewLine => ({
  ...{
    id: name,
    principal: { id: name, name, kind: 'person', active: true },
    record: null,
    tag: null,
    as: 'Editor',
    from: null,
    until: null,
  },
  place: { id: 'p', kind: 'series', code: 'A-01', title: 'Letters' },
  ...{ reason: 'works there', madeOn: '2026-01-01', state: 'open', answeredBy: null, answeredOn: null, note: '', mayAnswer: true },
  ...more,
});

describe('a review of access', () => {
  beforeEach(() => TestBed.configureTestingModule({ providers: testingProviders }));
  const lines = [line('Ada'), line('Bo', { state: 'changed' }), line('Cy', { state: 'kept', answeredBy: 'Ines', mayAnswer: false })];

  it('confirms many at once, and offers nothing where somebody may not answer', async () => {
    const stage = await Stage.show(ReviewPage, { id: 'r' });
    await stage.answer('/api/access/reviews/r', { review, lines });
    expect(stage.text()).toContain('what nobody confirms by then ends');
    expect(stage.host.querySelectorAll('tbody input').length).toBe(2);
    expect(stage.button('Confirm').disabled).toBeTrue();
    stage.host.querySelector<HTMLInputElement>('thead input')!.click();
    await stage.settle();
    await stage.press('Confirm 2');
    const { request } = await stage.answer('/api/access/reviews/answer', {
      results: [
        { id: 'Ada', name: 'Ada', outcome: 'done', why: 'Confirmed.' },
        { id: 'Bo', name: 'Bo', outcome: 'refused', why: 'It has ended already.' },
      ],
      access: null,
    });
    expect(request.body).toEqual({ ids: ['Ada', 'Bo'], answer: 'kept', note: '', dryRun: false });
    await stage.answer('/api/access/reviews/r', { review: { ...review, answered: 2, mine: 1 }, lines });
    expect(stage.text()).toContain('It has ended already.');
    expect(stage.text()).toContain('2 of 3 answered');
  });

  it('ends only after the effect was seen', async () => {
    const stage = await Stage.show(ReviewPage, { id: 'r' });
    await stage.answer('/api/access/reviews/r', { review, lines });
    stage.host.querySelector<HTMLInputElement>('tbody input')!.click();
    await stage.settle();
    await stage.press('End …');
    await stage.type('#review-note', 'moved on');
    await stage.press('See the effect', stage.sheet);
    const tried = await stage.answer('/api/access/reviews/answer', {
      results: [{ id: 'Ada', name: 'Ada', outcome: 'done', why: 'Ended.' }],
      access: { gains: [], loses: ['Ada: edit on 3 records'], people: 1 },
    });
    expect(tried.request.body.dryRun).toBeTrue();
    expect(stage.sheet.textContent).toContain('Ada: edit on 3 records');
    await stage.press('End grants', stage.sheet);
    const { request } = await stage.answer('/api/access/reviews/answer', { results: [], access: null });
    expect(request.body).toEqual({ ids: ['Ada'], answer: 'ended', note: 'moved on', dryRun: false });
  });
});
