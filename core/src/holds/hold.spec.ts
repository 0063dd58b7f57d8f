import { speaking } from '@key-cellar/words/testing';
import { holdRefusal as holdRefusalSaid, holdStates, type HoldAct } from './index.js';

const holdRefusal = speaking(holdRefusalSaid);

describe('a hold', () => {
  const acts: HoldAct[] = [
    { kind: 'widen' },
    { kind: 'letOut', reason: 'settled' },
    { kind: 'release', reason: 'settled' },
    { kind: 'remind' },
  ];

  for (const act of acts) {
    it(`may be ${act.kind} while it is open`, () => expect(holdRefusal('open', act)).toBeNull());
    it(`may not be ${act.kind} once it is released`, () =>
      expect(holdRefusal('released', act)?.code).toBe(act.kind === 'widen' ? 'hold-released' : 'hold-not-open'));
  }

  for (const kind of ['letOut', 'release'] as const) {
    for (const reason of ['', '  ']) {
      it(`needs a reason for ${kind}, and “${reason}” is none`, () =>
        expect(holdRefusal('open', { kind, reason })?.code).toBe('reason-missing'));
    }
  }

  it('says what to do in a sentence', () => {
    const sentences = holdStates.flatMap((state) => acts.map((act) => holdRefusal(state, act)?.sentence ?? null)).filter(Boolean);
    expect(new Set(sentences).size).toBe(4);
    for (const sentence of sentences) expect(sentence).toMatch(/^[A-Z].*\.$/);
  });
});
