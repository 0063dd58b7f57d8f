import { TestBed } from '@angular/core/testing';
import { Stage, testingProviders } from '../kit/testing';
import { MoveSheet } from './moveSheet';

describe('moving records', () => {
  beforeEach(() => TestBed.configureTestingModule({ providers: testingProviders }));
  const line = (id: string, outcome: 'done' | 'refused' | 'skipped', why: string, after = '1 Jan 2030 (R-2)') => ({
    id,
    name: `N-${id}`,
    outcome,
    why,
    before: '1 Jan 2027 (R-1)',
    after,
    shortens: false,
  });
  const show = async (): Promise<Stage<MoveSheet>> => {
    const stage = await Stage.show(MoveSheet, { open: true, ids: ['1', '2', '3'] });
    // As the field of places does when one is chosen.
    (stage.fixture.componentInstance as unknown as { place: { set(ids: string[]): void } }).place.set(['p']);
    await stage.type('#move-reason', 'belongs there');
    return stage;
  };

  it('says what would change before it does, and what came of it', async () => {
    const stage = await show();
    await stage.press('What would change?');
    const results = [
      line('1', 'done', 'Moved.'),
      line('2', 'refused', 'A declared record never leaves its series.'),
      line('3', 'skipped', 'It is there already.'),
    ];
    const { request } = await stage.answer('/api/records/move', { results, effect: null });
    expect(request.body).toEqual({ ids: ['1', '2', '3'], placeId: 'p', reason: 'belongs there', dryRun: true });
    expect(stage.sheet.textContent).toContain('1 of 3 would be moved; 1 refused, 1 there already.');
    expect(stage.sheet.textContent).toContain('A declared record never leaves its series.');
    await stage.press('Move 3 records');
    expect((await stage.answer('/api/records/move', { results, effect: null })).request.body.dryRun).toBeFalse();
    expect(stage.sheet.textContent).toContain('1 Jan 2027 (R-1) → 1 Jan 2030 (R-2)');
  });

  it('waits for a place and a reason, and keeps both when it is refused', async () => {
    const stage = await show();
    await stage.type('#move-reason', 'x');
    expect(stage.button('Move 3 records').disabled).toBeTrue();
    await stage.type('#move-reason', 'belongs there');
    await stage.press('Move 3 records');
    await stage.refuse('/api/records/move', 'BER is a function.', undefined, 422);
    expect(stage.sheet.textContent).toContain('BER is a function.');
    expect(document.querySelector<HTMLTextAreaElement>('#move-reason')!.value).toBe('belongs there');
  });
});
