import type { Message } from '@key-cellar/words';
import { Problem } from './problem.js';

export interface Turns {
  /** Runs the work when its turn comes; throws 429 when too many of this key wait already. */
  <T>(key: string, work: () => Promise<T>): Promise<T>;
}

/** Lets `atOnce` works of one key go on side by side; of more `waiting` wait their turn, in their order, and the others are refused. */
export function turns({ atOnce, waiting }: { atOnce: number; waiting: number }, refusal: Message): Turns {
  const lines = new Map<string, { running: number; queue: (() => void)[] }>();
  return async (key, work) => {
    const line = lines.get(key) ?? { running: 0, queue: [] };
    lines.set(key, line);
    if (line.running < atOnce) line.running++;
    else if (line.queue.length < waiting) await new Promise<void>((go) => line.queue.push(go));
    else throw new Problem(429, 'too-many-at-once', refusal);
    try {
      return await work();
    } finally {
      // Whoever waits longest takes over this turn, so that nobody slips in between.
      const next = line.queue.shift();
      if (next) next();
      else if (--line.running === 0) lines.delete(key);
    }
  };
}
