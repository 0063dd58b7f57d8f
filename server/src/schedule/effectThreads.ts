import { availableParallelism } from 'node:os';
import type { Worker } from 'node:worker_threads';
import { mergeEffects, type Effect } from '@key-cellar/core/schedule';
import { startThread } from '../kernel/index.js';
import type { EffectPart, PageRange } from './effectTypes.js';

export type EffectQuestion =
  | { readonly id: number; readonly kind: 'begin'; readonly part: EffectPart }
  /** The next range; null when there is none any more. */
  | { readonly id: number; readonly kind: 'range'; readonly range: PageRange | null };
export type EffectAnswer =
  | { readonly id: number; readonly kind: 'next' }
  | { readonly id: number; readonly kind: 'progress'; readonly done: number }
  | { readonly id: number; readonly kind: 'effect'; readonly effect: Effect }
  | { readonly id: number; readonly kind: 'failed'; readonly why: string };

/** Threads that work out effects; started when they are first needed, and kept. */
export interface EffectThreads {
  readonly count: number;
  /**
   * Works the ranges off side by side, each thread taking the next one when it is done with one; rejects when a thread fails
   * or when `signal` is given up.
   */
  run(part: EffectPart, ranges: readonly PageRange[], progress: (done: number) => void, signal: AbortSignal): Promise<Effect>;
  stop(): Promise<void>;
}

const mostThreads = 4;
export function effectThreads(): EffectThreads {
  const count = Math.max(1, Math.min(mostThreads, availableParallelism()));
  const threads: (Worker | undefined)[] = [];
  let last = 0;

  function thread(i: number): Worker {
    const known = threads[i];
    if (known) return known;
    const started = startThread('effectThread');
    started.on('error', () => undefined);
    started.on('exit', () => {
      if (threads[i] === started) threads[i] = undefined;
    });
    started.setMaxListeners(0);
    // A program that is done may end.
    started.unref();
    threads[i] = started;
    return started;
  }

  function one(
    i: number,
    part: EffectPart,
    take: () => PageRange | null,
    progress: (done: number) => void,
    signal: AbortSignal,
  ): Promise<Effect> {
    return new Promise((resolve, reject) => {
      const id = ++last;
      const worker = thread(i);
      const settleWith = (settle: () => void): void => {
        worker.off('exit', ended);
        signal.removeEventListener('abort', giveUp);
        settle();
      };
      /** The thread is done with the question, also when nobody waited for it. */
      const finish = (settle: () => void): void => {
        worker.off('message', hear);
        settleWith(settle);
      };
      const hear = (answer: EffectAnswer): void => {
        if (answer.id !== id) return;
        if (answer.kind === 'next')
          worker.postMessage({ id, kind: 'range', range: signal.aborted ? null : take() } satisfies EffectQuestion);
        else if (answer.kind === 'progress') progress(answer.done);
        else if (answer.kind === 'effect') finish(() => resolve(answer.effect));
        else finish(() => reject(new Error(answer.why)));
      };
      const ended = (): void => finish(() => reject(new Error('the thread ended')));
      // Nobody waits any more: the thread gets no further range and turns to the next question.
      const giveUp = (): void => settleWith(() => reject(new Error('nobody waits for this effect any more')));
      worker.on('message', hear);
      worker.on('exit', ended);
      signal.addEventListener('abort', giveUp);
      worker.postMessage({ id, kind: 'begin', part } satisfies EffectQuestion);
    });
  }

  return {
    count,
    async run(part, ranges, progress, signal) {
      const left = [...ranges];
      const done = Array.from({ length: Math.min(count, ranges.length) }, () => 0);
      const effects = await Promise.all(
        done.map((_, i) =>
          one(
            i,
            part,
            () => left.shift() ?? null,
            (n) => {
              done[i] = n;
              progress(done.reduce((sum, d) => sum + d, 0));
            },
            signal,
          ),
        ),
      );
      return mergeEffects(effects);
    },
    async stop() {
      await Promise.all(threads.map((t) => t?.terminate()));
    },
  };
}
