// What the effect threads run: what-if over ranges of the records, one question after another.
import { parentPort } from 'node:worker_threads';
import { type EffectAnswer, effectOfPart, type EffectQuestion, type PageRange } from './schedule/index.js';

const say = (answer: EffectAnswer): void => parentPort!.postMessage(answer);
/** Who waits for the next range. */
let waiting: ((range: PageRange | null) => void) | null = null;
let turn: Promise<void> = Promise.resolve();

parentPort!.on('message', (question: EffectQuestion) => {
  if (question.kind === 'range') {
    waiting?.(question.range);
    return;
  }
  const { id, part } = question;
  const nextRange = (): Promise<PageRange | null> =>
    new Promise((resolve) => {
      waiting = resolve;
      say({ id, kind: 'next' });
    });
  turn = turn
    .then(() => effectOfPart(part, nextRange, (done) => say({ id, kind: 'progress', done })))
    .then((effect) => {
      // The lanes go over without being copied.
      const lanes = effect.forecast.map((lane) => lane.cells.buffer as ArrayBuffer);
      parentPort!.postMessage({ id, kind: 'effect', effect } satisfies EffectAnswer, lanes);
    })
    .catch((error: unknown) => say({ id, kind: 'failed', why: error instanceof Error ? (error.stack ?? error.message) : String(error) }));
});
