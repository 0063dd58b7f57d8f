import { createHash } from 'node:crypto';
import { databaseAway } from '../kernel/index.js';
import type { Recognised, Unread, UnreadReason } from './documentText.js';
import type { Showable } from './pages.js';
import type { Services } from './services.js';
import { DamagedContent } from './content.js';

/** A picture, or pages of a document, that have no text of their own. */
export interface Scan {
  /** Where it lies in the content; null for the whole. */
  readonly part: string | null;
  readonly content: Showable;
  /** Pages without text; null: all. */
  readonly pages: readonly number[] | null;
}

/** Pages of one content that are recognised. */
const mostPages = 200;
/** Smaller pictures are signs and lines. */
const smallest = 60;

export const scanIn = (part: string, bytes: Buffer, mediaType: string, pages: readonly number[] | null): Scan => ({
  part,
  content: { sha256: createHash('sha256').update(bytes).digest(), mediaType, load: () => Promise.resolve(bytes) },
  pages,
});

const whyOf = ({ content }: Scan): UnreadReason => (content.mediaType === 'application/pdf' ? 'scan' : 'picture');

/** All of it as not recognised. */
export const notRecognised = (scans: readonly Scan[]): Recognised => ({
  text: '',
  unread: scans.map((scan) => ({ part: scan.part, why: whyOf(scan) })),
});

/** How long recognising may take (ms since 1970), and whether what there was no time for is left out then, or all of it is for another time. */
export interface Patience {
  readonly until: number;
  readonly then: 'leaveOut' | 'later';
}

/**
 * Recognises the words in scans; null where it is for another time, or where nothing is installed that could. Not `complete`: something could not
 * be drawn or looked at, which may be different another time.
 */
export async function recognise(
  services: Services,
  scans: readonly Scan[],
  patience: Patience,
): Promise<(Recognised & { readonly complete: boolean }) | null> {
  const texts: string[] = [];
  const unread: Unread[] = [];
  let [left, complete] = [mostPages, true];
  for (const scan of scans) {
    const { part, content } = scan;
    const miss = (why: UnreadReason): void => void unread.push({ part, why });
    let found = false;
    try {
      const { pages, width, height } = await services.pages.extent(content);
      if (scan.pages === null && Math.min(width, height) < smallest) continue;
      const wanted = scan.pages ?? Array.from({ length: pages }, (_, i) => i + 1);
      for (const no of wanted.slice(0, left)) {
        if (Date.now() > patience.until && patience.then === 'later') return null;
        if (Date.now() > patience.until) left = 0;
        if (left === 0) break;
        const words = await services.recogniser.words(await services.pages.scan(content, no));
        if (words === null) return null;
        if (words.trim() !== '') texts.push(words);
        found ||= words.trim() !== '';
      }
      if (left < wanted.length) miss('pages');
      else if (!found) miss(whyOf(scan));
      left = Math.max(0, left - wanted.length);
    } catch (error) {
      if (error instanceof DamagedContent || databaseAway(error)) throw error;
      services.log.warn({ err: error, part }, 'a scan could not be recognised');
      complete = false;
      miss(whyOf(scan));
    }
  }
  return { text: texts.join('\n\n'), unread, complete };
}
