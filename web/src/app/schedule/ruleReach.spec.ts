import { TestBed } from '@angular/core/testing';
import type { RulePage } from '@key-cellar/contract';
import { Stage, testingProviders } from '../kit/testing';
import { RuleReach } from './ruleReach';

describe('what a rule does', () => {
  beforeEach(() => TestBed.configureTestingModule({ providers: testingProviders }));
  const page = {
    id: 'r',
    setOn: [{ placeId: 's1', code: 'BER-01', title: 'Leases' }],
    pairs: [],
    criteria: [],
  } as unknown as RulePage;
  const year = (vintage: number | null, kept: number, due = 0, held = 0) => ({ vintage, kept, due, held });
  const show = async (vintages: ReturnType<typeof year>[], ahead: object[] = [], meets: object[] = []) => {
    const stage = await Stage.show(RuleReach, { page });
    await stage.answer('/api/rules/r/reach', { vintages, ahead, meets });
    return stage;
  };
  const bars = (stage: Stage<RuleReach>, plot = 0): string[] =>
    [...stage.host.querySelectorAll('kc-year-bars')[plot]!.querySelectorAll('li')].map((li) => li.title);

  it('is told by vintage and by year, in words too, and beside the rules that it meets', async () => {
    const stage = await show(
      [year(2018, 6, 2, 1), year(null, 79)],
      [{ year: 2026, destroy: 6, transfer: 1, held: 2 }],
      [
        { place: 'BER-01', id: 'o', code: 'R-OTHER', title: 'Others', how: 'beside' },
        { place: 'BER-01', id: 'f', code: 'R-FAR', title: 'Far', how: 'farther' },
      ],
    );
    expect(bars(stage)).toEqual(['2018: 6 kept, of them 2 due and 1 held', 'no start: 79 kept, of them 0 due and 0 held']);
    expect(bars(stage, 1)).toEqual(['2026: 6 to destroy, 1 to transfer, 2 held']);
    expect(stage.text()).toContain('with R-OTHER Others: the longer period governs');
    expect(stage.text()).toContain('before R-FAR Far, which is set farther out');
  });

  it('puts vintages of long ago together, and says when there is nothing', async () => {
    const many = await show(Array.from({ length: 40 }, (_, i) => year(1980 + i, i + 1)));
    expect(bars(many).length).toBe(17);
    expect(bars(many)[0]).toBe('to 2003: 300 kept, of them 0 due and 0 held');
    expect(many.text()).toContain('Nothing comes due in the next ten years.');
  });

  it('says when it governs nothing that one may know of', async () => {
    expect((await show([])).text()).toContain('No record you may discover.');
  });
});
