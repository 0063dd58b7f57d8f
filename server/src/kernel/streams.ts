import { once } from 'node:events';
import { parentPort, workerData, type TransferListItem } from 'node:worker_threads';
import { type Message } from '@key-cellar/words';
import { Problem, type ProblemStatus } from './problem.js';
import { startThread, type ThreadName } from './threads.js';

type Part<M> =
  | { readonly kind: 'part'; readonly part: M }
  | { readonly kind: 'end' }
  | { readonly kind: 'problem'; readonly status: ProblemStatus; readonly code: string; readonly said: Message };

/** How many parts a thread makes before anybody took one. */
const ahead = 4;

/**
 * Asks a thread of its own for something long, and gives the parts as they come: the thread waits while nobody takes them, and is ended
 * with the iteration or when `signal` says so. Rejects with what the thread threw.
 */
export async function* streamFrom<Q, M>(name: ThreadName, question: Q, signal?: AbortSignal): AsyncGenerator<M> {
  const thread = startThread(name, { workerData: question });
  const parts: Part<M>[] = [];
  let failed: Error | null = null;
  let arrived = (): void => undefined;
  const stop = (): void => {
    failed ??= new Error('Nobody waits for it any more.');
    arrived();
  };
  thread.on('message', (part: Part<M>) => {
    parts.push(part);
    arrived();
  });
  thread.on('error', (error) => {
    failed ??= error;
    arrived();
  });
  thread.on('exit', () => {
    // What it said before it ended has been heard by then.
    if (!parts.some((part) => part.kind !== 'part')) failed ??= new Error('The thread ended.');
    arrived();
  });
  signal?.addEventListener('abort', stop);
  try {
    for (;;) {
      if (signal?.aborted) stop();
      while (parts.length === 0 && !failed) await new Promise<void>((resolve) => (arrived = resolve));
      const next = parts.shift();
      if (!next || signal?.aborted) throw failed ?? new Error('The thread ended.');
      if (next.kind === 'end') return;
      if (next.kind === 'problem') throw new Problem(next.status, next.code, next.said);
      thread.postMessage('taken');
      yield next.part;
    }
  } finally {
    signal?.removeEventListener('abort', stop);
    await thread.terminate();
  }
}

/** The program of such a thread: answers the question that it was started with. Bytes go over without being copied. */
export async function answerStream<Q, M>(answer: (question: Q) => AsyncIterable<M>): Promise<void> {
  const say = (part: Part<M>, given: TransferListItem[] = []): void => parentPort!.postMessage(part, given);
  let left = ahead;
  parentPort!.on('message', () => left++);
  try {
    for await (const part of answer(workerData as Q)) {
      while (left === 0) await once(parentPort!, 'message');
      left--;
      say({ kind: 'part', part }, part instanceof Uint8Array ? [part.buffer as ArrayBuffer] : []);
    }
    say({ kind: 'end' });
  } catch (error) {
    if (!(error instanceof Problem)) throw error;
    say({ kind: 'problem', status: error.status, code: error.code, said: error.said });
  }
}
