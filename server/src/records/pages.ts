import type { Worker } from 'node:worker_threads';
import { longestText } from '@key-cellar/core/criteria';
import sharp from 'sharp';
import { Problem, startThread } from '../kernel/index.js';

/** What is asked of a document: the size of a page (from 1), its picture that many pixels wide, or the words of all pages. */
type PageWish =
  | { readonly kind: 'size'; readonly no: number }
  | { readonly kind: 'picture'; readonly no: number; readonly width: number }
  | { readonly kind: 'text'; readonly most: number };

/** Asked of the page thread. */
export interface PageQuestion {
  readonly id: number;
  /** Names the document, so that its bytes travel once. */
  readonly key: string;
  readonly wish: PageWish;
  readonly bytes?: Uint8Array | undefined;
}

export type PageAnswer =
  | { readonly id: number; readonly kind: 'bytesWanted' }
  | { readonly id: number; readonly kind: 'size'; readonly pages: number; readonly width: number; readonly height: number }
  | { readonly id: number; readonly kind: 'picture'; readonly png: Uint8Array }
  | { readonly id: number; readonly kind: 'text'; readonly text: string }
  | { readonly id: number; readonly kind: 'failed'; readonly why: string };

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
  /** A page (from 1) as PNG. */
  picture(content: Showable, no: number): Promise<Uint8Array>;
  /** The words of a PDF document, page after page; no more than a detector looks at. */
  text(content: Showable): Promise<string>;
  stop(): Promise<void>;
}

const pdf = 'application/pdf';
/** As wide as the page on screen, at two pixels a point. */
const pictureWidth = 1440;
/** A picture that claims to have more pixels than this is not opened. */
const mostPixels = 120_000_000;
const patienceMs = 20_000;

const notDrawn = (): Problem =>
  new Problem(422, 'not-drawn', 'This content cannot be shown as a picture; it may be damaged. Whoever may can take a copy.');

function pageThread() {
  let thread: Worker | null = null;
  let last = 0;
  const waiting = new Map<number, (answer: PageAnswer) => void>();
  const failAll = (): void => {
    for (const [id, give] of waiting) give({ id, kind: 'failed', why: 'the thread ended' });
    waiting.clear();
  };
  const running = (): Worker => {
    if (thread) return thread;
    const started = startThread('pageThread', { resourceLimits: { maxOldGenerationSizeMb: 512 } });
    started.on('message', (answer: PageAnswer) => {
      waiting.get(answer.id)?.(answer);
      waiting.delete(answer.id);
    });
    started.on('error', () => undefined);
    started.on('exit', () => {
      if (thread === started) {
        thread = null;
        failAll();
      }
    });
    // Nothing hangs on a picture: a program that is done may end.
    started.unref();
    thread = started;
    return started;
  };
  const ask = (question: Omit<PageQuestion, 'id'>): Promise<PageAnswer> =>
    new Promise((resolve) => {
      const id = ++last;
      // A document that keeps the thread busy for ever takes only the thread with it.
      const patience = setTimeout(() => void thread?.terminate(), patienceMs);
      waiting.set(id, (answer) => {
        clearTimeout(patience);
        resolve(answer);
      });
      running().postMessage({ ...question, id });
    });
  return {
    async ask(content: Showable, wish: PageWish): Promise<PageAnswer> {
      const key = content.sha256.toString('hex');
      const first = await ask({ key, wish });
      return first.kind === 'bytesWanted' ? ask({ key, wish, bytes: new Uint8Array(await content.load()) }) : first;
    },
    async stop() {
      await thread?.terminate();
    },
  };
}

export function pageDrawer(): PageDrawer {
  const thread = pageThread();
  const opened = async (content: Showable, page?: number) =>
    sharp(await content.load(), { limitInputPixels: mostPixels, ...(page === undefined ? {} : { page }) });
  return {
    async extent(content) {
      if (content.mediaType === pdf) {
        const size = await thread.ask(content, { kind: 'size', no: 1 });
        if (size.kind !== 'size') throw notDrawn();
        return { pages: size.pages, width: size.width, height: size.height };
      }
      const { pages = 1, width, height } = await (await opened(content)).metadata().catch(() => Promise.reject(notDrawn()));
      // Moving pictures are shown by their first one.
      return { pages: content.mediaType === 'image/tiff' ? pages : 1, width, height };
    },
    async picture(content, no) {
      if (content.mediaType === pdf) {
        const drawn = await thread.ask(content, { kind: 'picture', no, width: pictureWidth });
        if (drawn.kind !== 'picture') throw notDrawn();
        return drawn.png;
      }
      const picture = await opened(content, content.mediaType === 'image/tiff' ? no - 1 : undefined);
      return picture
        .rotate()
        .resize({ width: pictureWidth, withoutEnlargement: true })
        .png()
        .toBuffer()
        .catch(() => Promise.reject(notDrawn()));
    },
    async text(content) {
      const read = await thread.ask(content, { kind: 'text', most: longestText });
      if (read.kind !== 'text') throw new Problem(422, 'not-read', 'This document cannot be read; it may be damaged or locked.');
      return read.text;
    },
    stop: () => thread.stop(),
  };
}
