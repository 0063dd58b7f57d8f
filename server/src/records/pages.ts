import { message } from '@key-cellar/words';
import type { Logger } from 'pino';
import { longestText } from '@key-cellar/core/criteria';
import { Problem, task, tasksIn } from '../kernel/index.js';

/** A document as the page thread knows it: its name, so that its bytes travel once, and these when it asked for them. */
export interface Named {
  readonly key: string;
  readonly mediaType: string;
  /** Folder of the letters that ship with Key Cellar, for text and for marks. */
  readonly fontsDir: string;
  readonly bytes?: Uint8Array | undefined;
}
const patienceMs = 20_000;
// The answer is null where the bytes are wanted first.
export const measuring = task<Named, Extent | null>('measure', { patienceMs });
/** A page (from 1), so many pixels wide at most, as PNG; with a mark across it, if asked for. */
export const drawing = task<Named & { readonly no: number; readonly width: number; readonly mark: string | null }, Uint8Array | null>(
  'draw',
  {
    patienceMs,
  },
);
/** What the pages of a document say. */
export interface PageWords {
  readonly text: string;
  /** Numbers of pages that say next to nothing and show something: they may be scans. */
  readonly bare: readonly number[];
}
/** The words of all pages, `most` letters of them. */
export const readingPages = task<Named & { readonly most: number }, PageWords | null>('pageWords', { patienceMs });

/** A content to be shown, and how to get its bytes when they are needed. */
export interface Showable {
  readonly sha256: Buffer;
  readonly mediaType: string;
  load(): Promise<Buffer>;
}

/** How many pages there are; width and height of the first in units of its own, for their proportion. */
export interface Extent {
  readonly pages: number;
  readonly width: number;
  readonly height: number;
}

/** Draws content for reading on screen: what is sent is a picture of it, never the file itself (docs/semantics.md 9.1). */
export interface PageDrawer {
  extent(content: Showable): Promise<Extent>;
  /** A page (from 1) as PNG; with a mark all over it that says to whom it was shown, if asked for. */
  picture(content: Showable, no: number, mark?: string): Promise<Uint8Array>;
  /** A page as large as its words can be recognised. */
  scan(content: Showable, no: number): Promise<Uint8Array>;
  /** The words of a PDF document, page after page; no more than a detector looks at. */
  text(content: Showable): Promise<PageWords>;
  stop(): Promise<void>;
}

/** As wide as the page on screen, at two pixels a point. */
const pictureWidth = 1440;
/** An A4 page at 300 dots an inch. */
const scanWidth = 2480;

const notDrawn = (): Problem => new Problem(422, 'not-drawn', message('records.notDrawn'));

export function pageDrawer(log: Logger, fontsDir: string): PageDrawer {
  const thread = tasksIn('pageThread', { memoryMb: 512, log });
  /** Asks without the bytes first: the thread may have the document open already. */
  const asking = async <A>(content: Showable, ask: (named: Named) => Promise<A | null>, wrong: () => Problem): Promise<A> => {
    const named = { key: content.sha256.toString('hex'), mediaType: content.mediaType, fontsDir };
    // Damage of the stored copy is told as it is; what the thread cannot read is told as the document's fault.
    const first = await ask(named).catch(() => Promise.reject(wrong()));
    if (first !== null) return first;
    const bytes = new Uint8Array(await content.load());
    const second = await ask({ ...named, bytes }).catch(() => Promise.reject(wrong()));
    if (second === null) throw wrong();
    return second;
  };
  return {
    extent: (content) => asking(content, (named) => thread.run(measuring, named), notDrawn),
    picture: (content, no, mark) =>
      asking(content, (named) => thread.run(drawing, { ...named, no, width: pictureWidth, mark: mark ?? null }), notDrawn),
    scan: (content, no) => asking(content, (named) => thread.run(drawing, { ...named, no, width: scanWidth, mark: null }), notDrawn),
    text: (content) =>
      asking(
        content,
        (named) => thread.run(readingPages, { ...named, most: longestText }),
        () => new Problem(422, 'not-read', message('records.notRead')),
      ),
    stop: () => thread.stop(),
  };
}
