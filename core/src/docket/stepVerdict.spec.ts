import { civilDate } from '../calendar/index.js';
import { stepKinds, type Step, type StepKind } from '../schedule/index.js';
import { answersTo, stepVerdict, type StepCheck } from './index.js';

const today = civilDate('2026-09-14');
const step = (kind: StepKind): Step => ({
  kind,
  after: 'P1Y',
  from: 'clockStart',
  approvals: 0,
  noticeDays: 0,
  ...(kind === 'move' ? { to: 'CLOSED' } : {}),
});
const working = { state: 'working', holds: 0, freeze: false, frozenWhenDeclared: ['content', 'facts', 'moving'] } as const;
const check = (changes: Partial<StepCheck> = {}): StepCheck => ({
  standing: working,
  dueOn: today,
  overtakenOn: null,
  open: null,
  versions: 3,
  inTarget: false,
  ...changes,
});
const held = { ...working, holds: 1 };
const frozen = { ...held, freeze: true };
const declared = { ...working, state: 'declared' } as const;

describe('what the sweep does about a step', () => {
  const table: [string, StepKind, Partial<StepCheck>, string][] = [
    ['asks', 'askOwner', {}, 'ask'],
    ['asks about what is held', 'askOwner', { standing: frozen }, 'ask'],
    ['waits for an answer', 'askOwner', { open: { againOn: null } }, 'notYet'],
    ['waits until it may ask again', 'askOwner', { open: { againOn: today + 1 } }, 'notYet'],
    ['asks again', 'askOwner', { open: { againOn: today } }, 'ask again'],
    ['asks no more once the next step is due', 'askOwner', { open: { againOn: today }, overtakenOn: today }, 'unanswered'],
    ['does not begin to ask when the next step is due', 'askOwner', { overtakenOn: today - 1 }, 'unanswered'],
    ['asks when the next step is due tomorrow', 'askOwner', { overtakenOn: today + 1 }, 'ask'],
    ['puts up for review', 'review', {}, 'review'],
    ['puts up for review once', 'review', { open: { againOn: null } }, 'notYet'],
    ['declares', 'declare', {}, 'declare'],
    ['declares what is held', 'declare', { standing: frozen }, 'declare'],
    ['declares once', 'declare', { standing: declared }, 'already'],
    ['removes older versions', 'trimVersions', {}, 'trim'],
    ['removes older versions of what is declared', 'trimVersions', { standing: declared }, 'trim'],
    ['removes none of what is held', 'trimVersions', { standing: held }, 'stopped'],
    ['has none to remove', 'trimVersions', { versions: 1, standing: held }, 'already'],
    ['moves', 'move', {}, 'move'],
    ['moves what is held but not frozen', 'move', { standing: held }, 'move'],
    ['leaves what is frozen where it is', 'move', { standing: frozen }, 'stopped'],
    ['leaves what is declared where it is', 'move', { standing: declared }, 'stopped'],
    ['moves what is declared where its place lets it move', 'move', { standing: { ...declared, frozenWhenDeclared: ['content'] } }, 'move'],
    ['finds it there already', 'move', { inTarget: true, standing: frozen }, 'already'],
    ['has no routes', 'route', {}, 'stopped'],
    ['leaves destroying to the docket', 'destroy', {}, 'notYet'],
    ['leaves transferring to the docket', 'transfer', {}, 'notYet'],
    ['keeps', 'keepPermanently', {}, 'notYet'],
  ];
  for (const [name, kind, changes, expected] of table) {
    it(name, () => {
      const verdict = stepVerdict(step(kind), check(changes), today);
      expect(verdict.kind === 'ask' && verdict.again ? 'ask again' : verdict.kind).toBe(expected);
    });
  }
  it('moves nothing for a rule that does not say where to', () => {
    const verdict = stepVerdict({ ...step('move'), to: undefined }, check(), today);
    expect(verdict).toEqual(jasmine.objectContaining({ kind: 'stopped' }));
  });
  it('does nothing before the day', () => {
    for (const kind of stepKinds) expect(stepVerdict(step(kind), check({ dueOn: today + 1 }), today).kind).toBe('notYet');
  });
  it('lets only reviews go on', () => {
    expect(stepKinds.filter((kind) => answersTo(kind).includes('goOn'))).toEqual(['review']);
    expect(stepKinds.filter((kind) => answersTo(kind).length > 0)).toEqual(['askOwner', 'review']);
  });
});

it('says how many older versions would go', () => {
  for (const versions of [2, 3, 7]) {
    expect(stepVerdict(step('trimVersions'), check({ versions }), today)).toEqual({ kind: 'trim', versions: versions - 1 });
  }
});
