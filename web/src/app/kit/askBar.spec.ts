import { TestBed } from '@angular/core/testing';
import { Router } from '@angular/router';
import { AskBar } from './askBar';
import { Stage, testingProviders } from './testing';

const vocabulary = {
  recordTypes: [{ id: 'lease', name: 'Lease' }],
  facts: [{ code: 'vessel', title: 'Vessel', kind: 'text' }],
  places: [{ id: 'pil', name: 'PIL Pilotage', also: ['PIL'] }],
  people: [],
  holds: [],
  detectors: [],
};

describe('the ask bar', () => {
  beforeEach(() => TestBed.configureTestingModule({ providers: testingProviders }));
  const field = (): HTMLInputElement => document.querySelector('kc-ask-bar input, input[aria-controls="ask-list"]')!;
  const show = async (): Promise<{ stage: Stage<AskBar>; go: jasmine.Spy }> => {
    const stage = await Stage.show(AskBar);
    field().focus();
    await stage.settle();
    await stage.answer('/api/criteria/vocabulary', vocabulary);
    return { stage, go: spyOn(TestBed.inject(Router), 'navigate').and.resolveTo(true) };
  };
  const type = async (stage: Stage<AskBar>, text: string): Promise<void> => {
    await stage.type('input[aria-controls="ask-list"]', text);
    // Suggestions are asked for a moment after the last letter.
    await stage.answer('/api/ask', { suggestions: [] });
  };
  const options = (stage: Stage<AskBar>): string[] =>
    [...stage.host.querySelectorAll('[role="option"]:not(.all)')].map((o) => o.textContent!.trim());
  const key = async (stage: Stage<AskBar>, name: string): Promise<void> => {
    field().dispatchEvent(new KeyboardEvent('keydown', { key: name, bubbles: true, cancelable: true }));
    await stage.settle();
  };

  it('takes plain words for words', async () => {
    const { stage, go } = await show();
    await type(stage, 'barge ottoline');
    expect(options(stage)).toEqual([]);
    await key(stage, 'Enter');
    expect(go.calls.mostRecent().args).toEqual([['/find'], { queryParams: { words: 'barge ottoline' } }]);
  });

  it('completes a condition, and leads to what it matches', async () => {
    const { stage, go } = await show();
    await type(stage, 'under pil');
    expect(options(stage)[0]).toContain('under PIL Pilotage');
    await type(stage, 'under pil and record type is le');
    expect(options(stage).some((o) => o.includes('under pil and record type is Lease'))).toBeTrue();
    await key(stage, 'ArrowDown');
    await key(stage, 'Enter');
    expect(field().value).toBe('under pil and record type is Lease ');
    await key(stage, 'ArrowDown');
    await key(stage, 'Enter');
    expect(go.calls.mostRecent().args).toEqual([['/find'], { queryParams: { where: 'under PIL Pilotage and record type is Lease' } }]);
  });

  it('leads to what is typed, however late the answers come', async () => {
    const { stage } = await show();
    const go = spyOn(TestBed.inject(Router), 'navigateByUrl').and.resolveTo(true);
    const place = (code: string): object => ({ kind: 'place', id: code, code, title: `Berths ${code}`, link: `/plan/${code}` });
    await stage.type('input[aria-controls="ask-list"]', 'BER');
    await stage.answer('/api/ask', { suggestions: [place('BER'), place('BER-02'), place('BER-03')] });
    await stage.type('input[aria-controls="ask-list"]', 'BER-02');
    const codes = (which: string): string[] => [...stage.host.querySelectorAll(`${which} code`)].map((one) => one.textContent!.trim());
    expect(codes('[role="option"]')).withContext('before the second answer').toEqual(['BER-02']);
    await key(stage, 'ArrowDown');
    await stage.answer('/api/ask', { suggestions: [place('BER-02-1'), place('BER-02')] });
    expect(codes('[aria-selected="true"]')).withContext('what was chosen moved').toEqual(['BER-02']);
    await key(stage, 'Enter');
    expect(go.calls.mostRecent().args).toEqual(['/plan/BER-02']);
  });
});
