// What the effect threads run: what-if over one share of the records each, one question after another.
import { parentPort } from 'node:worker_threads';
import { effectOfPart, type EffectAnswer, type EffectQuestion } from './schedule/index.js';

let turn: Promise<void> = Promise.resolve();
parentPort!.on('message', ({ id, part }: EffectQuestion) => {
  const say = (answer: EffectAnswer): void => parentPort!.postMessage(answer);
  turn = turn
    .then(() => effectOfPart(part, (done) => say({ id, kind: 'progress', done })))
    .then((effect) => say({ id, kind: 'effect', effect }))
    .catch((error: unknown) => say({ id, kind: 'failed', why: error instanceof Error ? (error.stack ?? error.message) : String(error) }));
});
