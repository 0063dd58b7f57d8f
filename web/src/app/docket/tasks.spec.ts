import { TestBed } from '@angular/core/testing';
import type { LetterTask, StepTask } from '@key-cellar/contract';
import { Stage, testingProviders } from '../kit/testing';
import { LetterPage } from './letterPage';
import { RecordSteps } from './recordSteps';
import { TasksPage } from './tasksPage';

const task = (id: string, changes: Partial<StepTask> = {}): StepTask => ({
  id,
  kind: 'askOwner',
  recordId: `r-${id}`,
  number: `PIL-04/2021/000${id}`,
  title: `Licence ${id}`,
  placeCode: 'PIL-04',
  ruleCode: 'R-PIL-3',
  ruleTitle: 'Pilots’ licences',
  keptAnew: 'P1Y',
  askedOn: '2026-08-14',
  lastAskedOn: '2026-09-13',
  times: 2,
  then: { action: 'destroy', on: '2029-01-10' },
  held: false,
  asked: ['Lune Abara'],
  ...changes,
});
const outcome = (id: string, kind: 'done' | 'skipped', why: string) => ({ id, name: `Licence ${id}`, outcome: kind, why });

describe('what rules ask', () => {
  beforeEach(() => TestBed.configureTestingModule({ providers: testingProviders }));
  const show = async (tasks: StepTask[], inputs = {}): Promise<Stage<TasksPage>> => {
    const stage = await Stage.show(TasksPage, inputs);
    await stage.answer('/api/steps/tasks', { tasks, more: false, ofOthers: 3 });
    return stage;
  };
  const row = (stage: Stage<unknown>, i: number): HTMLElement => stage.host.querySelectorAll<HTMLElement>('tbody tr')[i]!;
  const press = async (stage: Stage<unknown>, i: number, key: string): Promise<void> => {
    row(stage, i).dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true }));
    await stage.settle();
  };

  it('stands by rule, with what happens without an answer, and reviews apart', async () => {
    const stage = await show([task('1'), task('2', { kind: 'review', ruleCode: 'R-DRG-2', then: { action: null, on: null } }), task('3')]);
    expect([...stage.host.querySelectorAll('h2')].map((h) => h.textContent!.trim().split(' ')[0])).toEqual(['R-PIL-3', 'R-DRG-2']);
    expect(row(stage, 0).textContent).toContain('destroyed from 10 Jan 2029');
    expect(row(stage, 2).textContent).toContain('it stays as it is');
    expect(stage.text()).toContain('3 more are put to others');
    expect(() => stage.button(/Continue to next step: PIL-04\/2021\/0001/)).toThrow();
    expect(stage.button(/Continue to next step: PIL-04\/2021\/0002/)).toBeTruthy();
  });

  it('is answered for those that are marked, with the note, and says what came of it', async () => {
    const stage = await show([task('1'), task('2'), task('3')]);
    await press(stage, 0, 'x');
    await press(stage, 2, 'x');
    await stage.type('#answer-note', 'They still sail.');
    await stage.press('Still needed: 2');
    const request = stage.http.expectOne('/api/steps/answer');
    expect(request.request.body).toEqual({ ids: ['1', '3'], answer: 'keep', note: 'They still sail.' });
    request.flush({ results: [outcome('1', 'done', 'Kept.'), outcome('3', 'skipped', 'Answered already by Petra.')] });
    await stage.answer('/api/steps/tasks', { tasks: [task('2')], more: false, ofOthers: 0 });
    expect(stage.text()).toContain('Answered already by Petra.');
    expect(stage.text()).toContain('Licence 1: still needed. Kept.');
  });

  it('is answered with one key in its row', async () => {
    const stage = await show([task('1'), task('2')]);
    await press(stage, 1, 'u');
    expect(stage.http.expectOne('/api/steps/answer').request.body).toEqual({ ids: ['2'], answer: 'notNeeded', note: '' });
    await press(stage, 0, 'o');
    stage.http.expectNone('/api/steps/answer');
  });

  it('keeps what was typed when the server refuses', async () => {
    const stage = await show([task('1')]);
    await stage.type('#answer-note', 'Because.');
    await stage.press('Not needed: PIL-04/2021/0001');
    await stage.refuse('/api/steps/answer', 'The database is away.');
    expect(stage.text()).toContain('The database is away.');
    expect(document.querySelector<HTMLInputElement>('#answer-note')!.value).toBe('Because.');
  });

  it('says what to expect when nothing is asked', async () => {
    expect((await show([])).text()).toContain('Nothing is asked');
  });
});

describe('the link of a letter', () => {
  beforeEach(() => TestBed.configureTestingModule({ providers: testingProviders }));
  const asked = (id: string, state: LetterTask['state'] = 'open'): LetterTask => ({
    ...task(id, { asked: [] }),
    state,
    answer: state === 'answered' ? 'keep' : null,
    answeredBy: state === 'answered' ? 'Lune Abara' : null,
  });

  it('answers each question once, without leading into the repository', async () => {
    const stage = await Stage.show(LetterPage, { token: 'ab' });
    await stage.answer('/api/answers/ab', {
      to: 'Lune Abara',
      repository: 'Marrowick',
      tasks: [asked('1'), asked('2', 'answered'), asked('3')],
    });
    expect(stage.text()).toContain('2 records wait');
    expect(stage.text()).toContain('still needed, said Lune Abara');
    expect(stage.host.querySelector('tbody a')).toBeNull();
    await stage.press('Not needed: all 2');
    expect(stage.http.expectOne('/api/answers/ab').request.body).toEqual({ ids: ['1', '3'], answer: 'notNeeded', note: '' });
  });

  it('tells nothing when it is not ours', async () => {
    const stage = await Stage.show(LetterPage, { token: 'x' });
    await stage.refuse('/api/answers/x', 'This link does not exist here, or you may not see it.', undefined, 404);
    expect(stage.text()).toContain('This link leads nowhere');
  });
});

describe('the steps of a record', () => {
  beforeEach(() => TestBed.configureTestingModule({ providers: testingProviders }));
  it('lets those answer who may, and tells the others who is asked', async () => {
    const stage = await Stage.show(RecordSteps, { recordId: 'r', revision: 1 });
    await stage.answer('/api/records/r/steps', { task: task('1'), mayAnswer: false, taken: [] });
    expect(stage.text()).toContain('Lune Abara');
    expect(stage.host.querySelector('button')).toBeNull();
    stage.fixture.componentRef.setInput('revision', 2);
    await stage.settle();
    await stage.answer('/api/records/r/steps', {
      task: task('1'),
      mayAnswer: true,
      taken: [{ words: 'the owner was asked', rule: 'R', outcome: 'unanswered', on: '2025-01-01', by: null }],
    });
    expect(stage.text()).toContain('the owner was asked: no answer came');
    await stage.press('Still needed');
    expect(stage.http.expectOne('/api/steps/answer').request.body).toEqual({ ids: ['1'], answer: 'keep', note: '' });
  });
});
