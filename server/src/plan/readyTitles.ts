import { readyText, type ReadyTitle } from '@key-cellar/core/plan';
import type { Db } from '../kernel/index.js';
import * as stencils from './stencilStore.js';

/** Counters go on from this many titles, the newest. */
const mostTitles = 5000;

/** Ready titles of a folder with their facts, their counters going on from what is there; the day of the document is still to come. */
export async function readyTitlesFor(db: Db, placeId: string): Promise<ReadyTitle[]> {
  const found = await stencils.readyTitlesOf(db, placeId);
  if (!found || found.ready_titles.length === 0) return [];
  const counts = found.ready_titles.some((t) => /\{n+\}/.test(t.text));
  const there = counts ? await stencils.titlesIn(db, placeId, mostTitles) : [];
  return found.ready_titles.map((ready) => ({ ...ready, text: readyText(ready, found.stencil_words?.words ?? {}, there) }));
}
