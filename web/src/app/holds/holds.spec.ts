import { TestBed } from '@angular/core/testing';
import { emptyVocabulary } from '@key-cellar/core/criteria';
import type { HoldLine, HoldPage as Page, MatterLine } from '@key-cellar/contract';
import { me, Stage, testingProviders } from '../kit/testing';
import { HoldPage } from './holdPage';
import { HoldSheet } from './holdSheet';
import { HoldsPage } from './holdsPage';

const hold: HoldLine = {
  id: 'h',
  name: 'Ottoline inquiry',
  reason: 'The office asks that nothing be destroyed.',
  state: 'open',
  freeze: false,
  scope: 'has word “Ottoline” and created from 2012-01-01',
  placedBy: 'Hanne Bright',
  placedOn: '2024-03-12',
  releasedOn: null,
  releaseReason: null,
  covers: 62,
  doing: null,
  unacknowledged: 1,
};
const matter: MatterLine = {
  id: 'm',
  code: 'I-2024-1',
  title: 'Grounding of the barge',
  kind: 'inquiry',
  note: '',
  openedOn: '2024-03-12',
  holds: [hold],
};
const page: Page = {
  ...hold,
  matter: { id: 'm', code: 'I-2024-1', title: 'Grounding of the barge' },
  custodians: [
    { person: { id: me.id, name: me.name }, notifiedOn: '2024-03-12', reminders: 2, acknowledgedOn: null },
    { person: { id: 'p2', name: 'Dario Quist' }, notifiedOn: '2024-03-12', reminders: 0, acknowledgedOn: '2024-03-14' },
  ],
  records: [
    { id: 'r1', number: 'PIL-03/2019/0001', title: 'Statement', because: 'its criteria', since: '2024-03-12', released: false, holds: 2 },
    { id: 'r2', number: 'PIL-03/2019/0002', title: 'Let out', because: 'the list', since: '2024-03-12', released: true, holds: 0 },
  ],
  coverage: [
    { month: '2024-03', covered: 60 },
    { month: '2024-04', covered: 62 },
  ],
};
const ottoline = { op: 'words', text: 'ottoline' };
const people = [
  { id: 'p2', name: 'Dario Quist', kind: 'person' },
  { id: 'g', name: 'Keepers', kind: 'group' },
];

describe('holds', () => {
  beforeEach(() => TestBed.configureTestingModule({ providers: testingProviders }));
  const show = async (matters: MatterLine[], who = {}): Promise<Stage<HoldsPage>> => {
    const stage = await Stage.show(HoldsPage, {}, who);
    await stage.answer('/api/matters', { matters });
    return stage;
  };
  /** Opens the sheet, in which criteria can be written once it is known what they may speak of. */
  const begin = async (stage: Stage<HoldsPage>): Promise<void> => {
    await stage.press('Place a hold');
    await stage.answer('/api/people', { people });
    for (const request of stage.http.match('/api/matters')) request.flush({ matters: [] });
    await stage.answer('/api/criteria/vocabulary', { ...emptyVocabulary });
  };

  it('say what they cover, in words, and who has not acknowledged', async () => {
    const text = (await show([matter])).text();
    expect(text).toContain('One hold is open in 1 matter: 62 record holds.');
    expect(text).toContain('has word “Ottoline” and created from 2012-01-01');
    expect(text).toContain('one has not acknowledged');
  });

  it('say how to begin when nothing is held', async () => {
    expect((await show([])).text()).toContain('Mark records in Find and hold them');
  });

  it('are placed by those who may only', async () => {
    const stage = await show([matter], { rights: ['discover', 'read'] });
    expect(() => stage.button('Place a hold')).toThrow();
    expect(stage.text()).not.toContain('place another hold for it');
  });

  it('by criteria say how much they would cover, and make their matter first', async () => {
    const stage = await show([matter]);
    await begin(stage);
    expect(stage.button('Place hold on what matches').disabled).toBeTrue();
    await stage.type('#matter-code', 'C-2026-1');
    await stage.type('#matter-title', 'A case');
    await stage.type('#hold-name', 'Case hold');
    await stage.type('#hold-reason', 'asked for by counsel');
    await stage.type('#hold-criteria', 'has word ottoline');
    await stage.press('How many?');
    const counted = await stage.answer('/api/holds/count', { count: 1, words: 'has word “ottoline”' });
    expect(counted.request.body).toEqual({ criteria: ottoline });
    expect(stage.sheet.textContent).toContain('1 record matches now.');
    expect(stage.button('Place hold on what matches').disabled).toBeFalse();
    await stage.press('Place hold on what matches');
    const made = await stage.answer('/api/matters', { id: 'm9' });
    expect(made.request.body).toEqual({ code: 'C-2026-1', title: 'A case', kind: 'case', note: '' });
    const placed = stage.http.expectOne('/api/holds');
    expect(placed.request.body).toEqual(
      jasmine.objectContaining({
        matterId: 'm9',
        recordIds: [],
        freeze: false,
        criteria: ottoline,
      }),
    );
    placed.flush({ id: 'h2', covered: 3, doing: null, results: [] });
    await stage.settle();
    expect(stage.sheet.textContent!.replace(/\s+/g, ' ')).toContain('The hold covers 3 records.');
  });

  it('say so when they stand and go on covering', async () => {
    const stage = await show([matter]);
    await begin(stage);
    await stage.type('#matter-code', 'C-2026-1');
    await stage.type('#matter-title', 'A case');
    await stage.type('#hold-name', 'All of it');
    await stage.type('#hold-reason', 'A case');
    await stage.type('#hold-criteria', 'has word ottoline');
    await stage.press('Place hold on what matches');
    await stage.answer('/api/matters', { id: 'm9' });
    const doing = { what: 'covering', done: 500, total: 9000 } as const;
    await stage.answer('/api/holds', { id: 'h2', covered: 500, doing, results: [] });
    expect(stage.sheet.textContent!.replace(/\s+/g, ' ')).toContain('goes on covering what matches, 500 so far');
    expect(stage.sheet.querySelector('kc-result-list')).toBeNull();
  });

  it('are placed on nothing while there are no criteria, or those that move with the calendar', async () => {
    const stage = await show([matter]);
    await begin(stage);
    const disabled = (): boolean => stage.button('Place hold on what matches').disabled;
    for (const [text, is] of [
      ['has word ottoline', false],
      ['', true],
      ['created in the last 7 days', true],
      ['created in 2020', false],
      ['created in', true],
    ] as const) {
      await stage.type('#hold-criteria', text);
      expect(disabled()).withContext(text).toBe(is);
    }
  });

  it('whose placing was refused keep what was typed, and use the matter that was made', async () => {
    const stage = await show([matter]);
    await begin(stage);
    await stage.type('#matter-code', 'C-2026-1');
    await stage.type('#matter-title', 'A case');
    await stage.type('#hold-name', 'Case hold');
    await stage.type('#hold-reason', 'no');
    await stage.type('#hold-criteria', 'has word ottoline');
    await stage.press('Place hold on what matches');
    await stage.answer('/api/matters', { id: 'm9' });
    await stage.refuse('/api/holds', 'The reason needs three letters or more.', undefined, 422);
    for (const request of stage.http.match('/api/matters'))
      request.flush({ matters: [matter, { ...matter, id: 'm9', code: 'C-2026-1', title: 'A case', holds: [] }] });
    await stage.settle();
    expect(stage.sheet.textContent).toContain('The reason needs three letters or more.');
    expect(document.querySelector<HTMLInputElement>('#hold-name')!.value).toBe('Case hold');
    await stage.press('Place hold on what matches');
    expect(stage.http.expectOne('/api/holds').request.body.matterId).toBe('m9');
  });
});

describe('holding marked records', () => {
  beforeEach(() => TestBed.configureTestingModule({ providers: testingProviders }));
  const show = async (matters: MatterLine[]): Promise<Stage<HoldSheet>> => {
    const stage = await Stage.show(HoldSheet, { open: true, recordIds: ['r1', 'r2'] });
    await stage.answer('/api/matters', { matters });
    await stage.answer('/api/people', { people });
    return stage;
  };

  it('takes them into a hold that is open, and says of each what came of it', async () => {
    const released: HoldLine = { ...hold, id: 'old', name: 'Closed affair', state: 'released' };
    const stage = await show([{ ...matter, holds: [hold, released] }]);
    const offered = await stage.offered('hold-hold');
    expect(offered.map((o) => o.textContent!.trim())).toEqual(['A new hold', 'I-2024-1 Ottoline inquiry']);
    offered[1]!.click();
    await stage.settle();
    expect(document.querySelector('#hold-reason')).toBeNull();
    await stage.press('Add 2 records to the hold');
    const request = stage.http.expectOne('/api/holds/h/records');
    expect(request.request.body).toEqual({ recordIds: ['r1', 'r2'] });
    request.flush({
      covered: 1,
      results: [
        { id: 'r1', name: 'PIL-03/2019/0001', outcome: 'covered' },
        { id: 'r2', name: 'PIL-03/2019/0002', outcome: 'already covered' },
      ],
    });
    await stage.settle();
    const text = stage.sheet.textContent!.replace(/\s+/g, ' ');
    expect(text).toContain('1 record was added to the hold.');
    expect(text).toContain('The hold covered it before.');
  });

  it('places a new one where none is open', async () => {
    const stage = await show([{ ...matter, holds: [] }]);
    expect(document.querySelector('#hold-hold')).toBeNull();
    expect(document.querySelector('#hold-criteria')).toBeNull();
    expect(stage.button('Place hold on 2 records').disabled).toBeFalse();
  });
});

describe('a hold', () => {
  beforeEach(() => TestBed.configureTestingModule({ providers: testingProviders }));
  const show = async (changes: Partial<Page> = {}, who = {}): Promise<Stage<HoldPage>> => {
    const stage = await Stage.show(HoldPage, { id: 'h' }, who);
    await stage.answer('/api/holds/h', { ...page, ...changes });
    return stage;
  };

  it('shows what it covers, what was let out, and who was told how often', async () => {
    const stage = await show();
    expect(stage.text()).toContain('Covers 62 records');
    expect(stage.host.querySelectorAll('tr.out').length).toBe(1);
    expect(stage.text()).toContain('reminded 2 times');
    expect(stage.text()).toContain('acknowledged 14 Mar 2024');
  });

  it('is acknowledged by its custodian', async () => {
    const stage = await show();
    await stage.press('Acknowledge the notice');
    await stage.answer('/api/holds/h/acknowledge', {});
    await stage.answer('/api/holds/h', { ...page, custodians: page.custodians.map((c) => ({ ...c, acknowledgedOn: '2026-09-14' })) });
    expect(stage.text()).toContain('Your acknowledgement was written down.');
    expect(() => stage.button('Acknowledge the notice')).toThrow();
  });

  it('is not acknowledged by anybody else', async () => {
    const stage = await show({}, { id: 'someone-else' });
    expect(() => stage.button('Acknowledge the notice')).toThrow();
  });

  it('is released with a reason, after its effect was said', async () => {
    const stage = await show();
    await stage.press('Release …');
    expect(stage.sheet.textContent).toContain('what is due needs a new notice');
    await stage.type('#release-reason', 'The inquiry is closed');
    await stage.press('Release 62 records');
    const request = await stage.answer('/api/holds/h/release', { id: 'h', released: 60, doing: null });
    expect(request.request.body).toEqual({ reason: 'The inquiry is closed' });
    await stage.answer('/api/holds/h', { ...page, state: 'released', releasedOn: '2026-09-14', releaseReason: 'The inquiry is closed' });
    expect(stage.text()).toContain('The hold released 60 records.');
    expect(stage.text()).toContain('Released 14 Sep 2026: The inquiry is closed');
    expect(() => stage.button('Release …')).toThrow();
  });

  it('says how far it has covered, and asks again until it has covered all', async () => {
    const stage = await show({ doing: { what: 'covering', done: 34_000, total: 100_000 } });
    expect(stage.text()).toContain('34 % covered: 34,000 of 100,000 records.');
    expect(stage.text()).toContain('nothing goes, or changes, that the hold has not looked at');
    await stage.answer('/api/holds/h', page);
    expect(stage.text()).not.toContain('% covered');
  });

  it('takes what comes only while it is open and has criteria', async () => {
    for (const [changes, takes] of [
      [{}, true],
      [{ scope: null }, false],
      [{ state: 'released', releasedOn: '2026-09-14', releaseReason: 'x' }, false],
    ] as const) {
      TestBed.resetTestingModule().configureTestingModule({ providers: testingProviders });
      const stage = await show({ ...changes, records: [] });
      expect(stage.text()).toContain('It covers nothing that you may see.');
      expect(stage.text().includes('What comes to match is held as it arrives.')).toBe(takes);
    }
  });

  it('says that it waits to look, and that a release goes on', async () => {
    const stage = await show({ doing: { what: 'covering', done: 0, total: null }, records: [] });
    expect(stage.text()).toContain('everything that was being written when it was placed has ended');
    expect(stage.text()).not.toContain('covers nothing');
    await stage.press('Release …');
    await stage.type('#release-reason', 'Settled');
    await stage.press('Release 62 records');
    const doing = { what: 'releasing', done: 1_500, total: 62_000 } as const;
    await stage.answer('/api/holds/h/release', { id: 'h', released: 62_000, doing });
    await stage.answer('/api/holds/h', { ...page, state: 'released', releasedOn: '2026-09-14', releaseReason: 'Settled', doing });
    expect(stage.text()).toContain('It lets go of 62000 records one after another.');
    expect(stage.text()).toContain('2 % let go: 1,500 of 62,000 records.');
  });

  it('keeps the reason when releasing is refused', async () => {
    const stage = await show();
    await stage.press('Release …');
    await stage.type('#release-reason', 'x');
    await stage.press('Release 62 records');
    await stage.refuse('/api/holds/h/release', 'Releasing a hold needs a reason.', undefined, 422);
    expect(stage.sheet.textContent).toContain('Releasing a hold needs a reason.');
    expect(document.querySelector<HTMLTextAreaElement>('#release-reason')!.value).toBe('x');
  });

  it('lets marked records out, with a reason', async () => {
    const stage = await show();
    const boxes = (): HTMLInputElement[] => [...stage.host.querySelectorAll<HTMLInputElement>('tbody input')];
    expect(boxes().map((b) => b.getAttribute('aria-label'))).toEqual(['Mark PIL-03/2019/0001']);
    boxes()[0]!.click();
    await stage.settle();
    await stage.press('Remove from hold …');
    await stage.type('#let-out-reason', 'It is of another barge');
    await stage.press('Remove one record from the hold');
    const request = await stage.answer('/api/holds/h/let-out', {
      released: 1,
      results: [{ id: 'r1', name: 'PIL-03/2019/0001', outcome: 'done', why: 'Let out.' }],
    });
    expect(request.request.body).toEqual({ recordIds: ['r1'], reason: 'It is of another barge' });
    await stage.answer('/api/holds/h', { ...page, records: page.records.map((r) => ({ ...r, released: true })) });
    expect(stage.sheet.textContent).toContain('Let out.');
    expect(boxes()).toEqual([]);
    expect(stage.host.querySelectorAll('tr.out').length).toBe(2);
  });

  it('keeps the marks and the reason when letting out is refused', async () => {
    const stage = await show();
    stage.host.querySelector<HTMLInputElement>('thead input')!.click();
    await stage.settle();
    await stage.press('Remove from hold …');
    await stage.type('#let-out-reason', 'x');
    await stage.press('Remove one record from the hold');
    await stage.refuse('/api/holds/h/let-out', 'Letting out needs a reason.', undefined, 422);
    expect(stage.sheet.textContent).toContain('Letting out needs a reason.');
    expect(document.querySelector<HTMLTextAreaElement>('#let-out-reason')!.value).toBe('x');
    expect(stage.host.querySelector<HTMLInputElement>('tbody input')!.checked).toBeTrue();
  });

  for (const [whose, changes, who] of [
    ['somebody without the right', {}, { rights: ['discover', 'read'] }],
    ['anybody once it is released', { state: 'released', releasedOn: '2026-09-14', releaseReason: 'closed' }, {}],
  ] as const) {
    it(`lets nothing out for ${whose}`, async () => {
      const stage = await show(changes, who as object);
      expect(stage.host.querySelector('input')).toBeNull();
    });
  }

  it('reminds, and says how many', async () => {
    const stage = await show();
    await stage.press('Remind custodians');
    await stage.answer('/api/holds/h/remind', { reminded: 1 });
    await stage.answer('/api/holds/h', page);
    expect(stage.text()).toContain('One custodian was reminded.');
  });

  it('that covers nothing one may see says so, not a number', async () => {
    expect((await show({ records: [] })).text()).toContain('It covers nothing that you may see.');
  });
});
