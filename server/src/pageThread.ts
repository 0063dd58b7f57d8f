// What the page thread runs: draws pages of PDF documents as pictures, and reads their words. Documents come from anybody, so it is a thread that
// can be ended in the middle of one; it sees nothing but the bytes it is given.
import { createRequire } from 'node:module';
import { dirname, join } from 'node:path';
import { parentPort } from 'node:worker_threads';
import { createCanvas } from '@napi-rs/canvas';
import * as pdfjs from 'pdfjs-dist/legacy/build/pdf.mjs';
import type { PageAnswer, PageQuestion } from './records/index.js';

/** Open documents are kept for the pages that follow. */
const mostOpen = 4;
/** Pixels of a picture; a page that claims to be larger is drawn smaller. */
const mostPixels = 6_000_000;

const standardFonts = join(dirname(createRequire(import.meta.url).resolve('pdfjs-dist/package.json')), 'standard_fonts/');

const open = new Map<string, Promise<pdfjs.PDFDocumentProxy>>();

async function documentOf(key: string, bytes: Uint8Array | undefined): Promise<pdfjs.PDFDocumentProxy | null> {
  const known = open.get(key);
  if (known) return known;
  if (!bytes) return null;
  for (const oldest of [...open.keys()].slice(0, Math.max(0, open.size - mostOpen + 1))) {
    const left = open.get(oldest)!;
    open.delete(oldest);
    await left.then((d) => d.loadingTask.destroy()).catch(() => undefined);
  }
  const opening = pdfjs.getDocument({
    data: bytes,
    isEvalSupported: false,
    enableXfa: false,
    standardFontDataUrl: standardFonts,
    verbosity: 0,
  }).promise;
  open.set(key, opening);
  opening.catch(() => open.delete(key));
  return opening;
}

async function textOf(document: pdfjs.PDFDocumentProxy, most: number): Promise<string> {
  let text = '';
  for (let no = 1; no <= document.numPages && text.length < most; no++) {
    const page = await document.getPage(no);
    const { items } = await page.getTextContent();
    for (const item of items) if ('str' in item) text += item.str + (item.hasEOL ? '\n' : '');
    text += '\n\n';
    page.cleanup();
  }
  return text.slice(0, most);
}

async function answer(question: PageQuestion): Promise<PageAnswer> {
  const { id } = question;
  const document = await documentOf(question.key, question.bytes);
  if (!document) return { id, kind: 'bytesWanted' };
  const { wish } = question;
  if (wish.kind === 'text') return { id, kind: 'text', text: await textOf(document, wish.most) };
  const page = await document.getPage(wish.no);
  const natural = page.getViewport({ scale: 1 });
  if (wish.kind === 'size') return { id, kind: 'size', pages: document.numPages, width: natural.width, height: natural.height };
  const scale = Math.min(wish.width / natural.width, Math.sqrt(mostPixels / (natural.width * natural.height)));
  const viewport = page.getViewport({ scale });
  const canvas = createCanvas(Math.max(1, Math.ceil(viewport.width)), Math.max(1, Math.ceil(viewport.height)));
  await page.render({ canvas: canvas as never, canvasContext: canvas.getContext('2d') as never, viewport }).promise;
  page.cleanup();
  return { id, kind: 'picture', png: await canvas.encode('png') };
}

let turn: Promise<void> = Promise.resolve();
parentPort!.on('message', (question: PageQuestion) => {
  // One after the other: two pages at once would only take turns on the same core.
  turn = turn
    .then(() => answer(question))
    .catch((error: unknown): PageAnswer => ({
      id: question.id,
      kind: 'failed',
      why: error instanceof Error ? error.message : String(error),
    }))
    .then((given) => parentPort!.postMessage(given));
});
