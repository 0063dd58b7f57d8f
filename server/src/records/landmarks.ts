import type { Db } from '../kernel/index.js';
import type { Services } from './services.js';
import { landmarksOf, type ListAsked, type Position } from './store.js';

/** Every so many rows of a list one is remembered. */
const step = 1000;
/**
 * For so long, in milliseconds. What is filed or disposed of meanwhile moves what lies behind it by as many rows, as it does
 * for whoever has the list open; near both ends nobody goes by landmarks.
 */
const rememberedFor = 60_000;
const mostLists = 64;

interface Landmarks {
  readonly until: number;
  readonly marks: readonly Position[];
}

interface Known {
  readonly lists: Map<string, Landmarks>;
  looking: boolean;
}
const known = new WeakMap<Db, Known>();

/**
 * Where to begin reading so that a row far into a list is near: the row to go on after, and how many to skip from there. Null when no
 * landmarks of the list are known: they are then looked for, one list at a time and behind the answer, for who jumps next.
 */
export function landmarkBefore(
  { pool, log }: Pick<Services, 'pool' | 'log'>,
  asked: ListAsked,
  skip: number,
): { readonly after: Position; readonly skip: number } | null {
  const { key, find } = landmarksOf(asked, step);
  const here = known.get(pool) ?? { lists: new Map<string, Landmarks>(), looking: false };
  known.set(pool, here);
  const found = here.lists.get(key);
  if (found && found.until > Date.now()) {
    const nth = Math.min(Math.floor(skip / step), found.marks.length);
    return nth === 0 ? null : { after: found.marks[nth - 1]!, skip: skip - nth * step };
  }
  if (!here.looking) {
    here.looking = true;
    find(pool)
      .then((marks) => {
        here.lists.delete(key);
        here.lists.set(key, { until: Date.now() + rememberedFor, marks });
        if (here.lists.size > mostLists) here.lists.delete(here.lists.keys().next().value!);
      })
      // Whoever jumped has their page; the next jump looks again.
      .catch((error: unknown) => log.warn({ err: error }, 'landmarks of a list were not found; the next jump looks again'))
      .finally(() => (here.looking = false));
  }
  return null;
}
