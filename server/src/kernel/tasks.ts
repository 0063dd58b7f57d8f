import { parentPort, type Worker } from 'node:worker_threads';
import type { Logger } from 'pino';
import { message, type Message } from '@key-cellar/words';
import { Problem, type ProblemStatus } from './problem.js';
import { startThread, type ThreadName } from './threads.js';

/*
 * Whatever reads what anybody may have made does so in a thread that can be ended in the middle of it:
 *
 *   export const readingTable = task<{ bytes: Uint8Array; format: TableFormat }, unknown[][]>('table', { patienceMs: 20_000 });
 *   const cells = await services.reading.run(readingTable, { bytes, format });   // who asks
 *   answerTasks(answering(readingTable, cellsOf));                               // the thread's program
 */

/** One thing that can be asked of a thread; question and answer are plain data. */
export interface Task<Q, A> {
  readonly name: string;
  /** A thread that works longer on one question is ended. */
  readonly patienceMs: number;
  /** Only a type: what it takes and gives. */
  readonly _?: (question: Q) => A;
}

export function task<Q, A>(name: string, limits: { readonly patienceMs: number }): Task<Q, A> {
  return { name, ...limits };
}

/** Whoever was asked took too long, or too much memory. */
export class GivenUp extends Error {}

export interface Tasks {
  /** Rejects with what the work threw, with {@link GivenUp}, or with 503 when too much waits already. */
  run<Q, A>(task: Task<Q, A>, question: Q): Promise<A>;
  stop(): Promise<void>;
}

interface Question {
  readonly task: string;
  readonly question: unknown;
}
type Answer =
  | { readonly kind: 'answer'; readonly answer: unknown }
  | { readonly kind: 'problem'; readonly status: ProblemStatus; readonly code: string; readonly said: Message }
  | { readonly kind: 'failed'; readonly why: string };
/** A thread has read its program, and answers from now on. */
interface Ready {
  readonly kind: 'ready';
}

interface Waiting extends Question {
  readonly patienceMs: number;
  settle(answer: Answer | GivenUp): void;
}

const mostWaiting = 200;
/** How long a thread may take to read its program: on a busy machine longer than for any answer. */
const startMs = 120_000;

/** Questions to one thread, one after another. Of one that ends only the question that it worked on is given up, and the log tells it. */
export function tasksIn(name: ThreadName, { memoryMb, log }: { readonly memoryMb: number; readonly log: Pick<Logger, 'warn'> }): Tasks {
  const queue: Waiting[] = [];
  let thread: Worker | null = null;
  let now: Waiting | null = null;
  let ready = false;
  let patience: NodeJS.Timeout | undefined;

  const settle = (answer: Answer | GivenUp): void => {
    clearTimeout(patience);
    const asked = now;
    now = null;
    asked?.settle(answer);
    next();
  };
  const giveUp = (why: string): void => {
    log.warn({ thread: name, task: now?.task }, `a thread was ended. ${why}`);
    settle(new GivenUp(why));
  };
  const bear = (worker: Worker, ms: number, why: string): void => {
    clearTimeout(patience);
    patience = setTimeout(() => {
      thread = null;
      void worker.terminate();
      giveUp(why);
    }, ms);
  };
  const running = (): Worker => {
    if (thread) return thread;
    ready = false;
    const started = startThread(name, { resourceLimits: { maxOldGenerationSizeMb: memoryMb } });
    // What an ended thread still says is of a question that was given up.
    started.on('message', (said: Answer | Ready) => {
      if (thread !== started) return;
      if (said.kind !== 'ready') return settle(said);
      ready = true;
      if (now) bear(started, now.patienceMs, 'It took too long.');
    });
    started.on('error', () => undefined);
    started.on('exit', () => {
      if (thread !== started) return;
      thread = null;
      if (now) giveUp('It took too much memory.');
    });
    // Nothing hangs on an answer: a program that is done may end.
    started.unref();
    thread = started;
    return started;
  };
  const next = (): void => {
    if (now || queue.length === 0) return;
    now = queue.shift()!;
    const worker = running();
    // What a question may take counts from when the thread can hear it.
    if (ready) bear(worker, now.patienceMs, 'It took too long.');
    else bear(worker, startMs, 'The thread did not start.');
    worker.postMessage({ task: now.task, question: now.question } satisfies Question);
  };

  return {
    run<Q, A>(task: Task<Q, A>, question: Q): Promise<A> {
      if (queue.length >= mostWaiting) throw new Problem(503, 'busy', message('problem.busy'));
      return new Promise<A>((resolve, reject) => {
        queue.push({
          task: task.name,
          question,
          patienceMs: task.patienceMs,
          settle(answer) {
            if (answer instanceof GivenUp) reject(answer);
            else if (answer.kind === 'answer') resolve(answer.answer as A);
            else reject(answer.kind === 'problem' ? new Problem(answer.status, answer.code, answer.said) : new Error(answer.why));
          },
        });
        next();
      });
    },
    async stop() {
      for (const waiting of queue.splice(0)) waiting.settle(new GivenUp('The server is shutting down.'));
      await thread?.terminate();
    },
  };
}

export interface Answering {
  readonly task: string;
  readonly answer: (question: never) => Promise<unknown>;
}

export function answering<Q, A>(task: Task<Q, A>, answer: (question: Q) => Promise<A> | A): Answering {
  return { task: task.name, answer: async (question: Q) => answer(question) };
}

/** The program of a thread: answers what it is asked, until it is ended. */
export function answerTasks(...answers: readonly Answering[]): void {
  const byTask = new Map(answers.map((one) => [one.task, one.answer]));
  const answerTo = async ({ task, question }: Question): Promise<Answer> => {
    try {
      return { kind: 'answer', answer: await byTask.get(task)!(question as never) };
    } catch (error) {
      if (error instanceof Problem) return { kind: 'problem', status: error.status, code: error.code, said: error.said };
      return { kind: 'failed', why: error instanceof Error ? error.message : String(error) };
    }
  };
  parentPort!.on('message', (question: Question) => void answerTo(question).then((answer) => parentPort!.postMessage(answer)));
  parentPort!.postMessage({ kind: 'ready' } satisfies Ready);
}
