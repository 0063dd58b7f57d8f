// What the page thread runs: draws pages of documents as pictures, and reads their words. Documents come from anybody, so it is a
// thread that can be ended in the middle of one; it sees nothing but the bytes it is given.
import { createRequire } from 'node:module';
import { dirname, join } from 'node:path';
import { createCanvas } from '@napi-rs/canvas';
import * as pdfjs from 'pdfjs-dist/legacy/build/pdf.mjs';
import sharp from 'sharp';
import { answering, answerTasks } from './kernel/index.js';
import { drawing, measuring, readingPages, type Extent, type Named, type PageWords } from './records/index.js';

/** Open documents are kept for the pages that follow. */
const mostOpen = 4;
/** Pixels of a picture; a page that claims to be larger is drawn smaller. */
const mostPixels = 6_000_000;
/** A picture that claims to have more pixels than this is not opened. */
const mostPixelsOpened = 120_000_000;
/** Decoding runs outside of this thread: it has to end by itself. */
const decodingSeconds = 15;
const pdf = 'application/pdf';

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

const pictures: ReadonlySet<number> = new Set([
  pdfjs.OPS.paintImageXObject,
  pdfjs.OPS.paintInlineImageXObject,
  pdfjs.OPS.paintImageMaskXObject,
  pdfjs.OPS.constructPath,
]);

/** Whether there is a picture on a page, or something drawn: words may be in it. */
const showsSomething = async (page: pdfjs.PDFPageProxy): Promise<boolean> =>
  (await page.getOperatorList()).fnArray.some((operation) => pictures.has(operation));

/** A page with fewer letters may be a scan with a stamp on it. */
const fewLetters = 20;

async function textOf(document: pdfjs.PDFDocumentProxy, most: number): Promise<PageWords> {
  let text = '';
  const bare: number[] = [];
  for (let no = 1; no <= document.numPages && text.length < most; no++) {
    const page = await document.getPage(no);
    const { items } = await page.getTextContent();
    const own = items.map((item) => ('str' in item ? item.str + (item.hasEOL ? '\n' : '') : '')).join('');
    if (own.replace(/\s/g, '').length < fewLetters && (await showsSomething(page))) bare.push(no);
    text += `${own}\n\n`;
    page.cleanup();
  }
  return { text: text.slice(0, most), bare };
}

const opened = (bytes: Uint8Array, page?: number) =>
  sharp(bytes, { limitInputPixels: mostPixelsOpened, ...(page === undefined ? {} : { page }) }).timeout({ seconds: decodingSeconds });

async function measure({ key, mediaType, bytes }: Named): Promise<Extent | null> {
  if (mediaType !== pdf) {
    if (!bytes) return null;
    const { pages = 1, width, height } = await opened(bytes).metadata();
    // Moving pictures are shown by their first one.
    return { pages: mediaType === 'image/tiff' ? pages : 1, width, height };
  }
  const document = await documentOf(key, bytes);
  if (!document) return null;
  const { width, height } = (await document.getPage(1)).getViewport({ scale: 1 });
  return { pages: document.numPages, width, height };
}

async function draw({ key, mediaType, bytes, no, width }: Named & { no: number; width: number }): Promise<Uint8Array | null> {
  if (mediaType !== pdf) {
    if (!bytes) return null;
    const picture = opened(bytes, mediaType === 'image/tiff' ? no - 1 : undefined);
    return picture.rotate().resize({ width, withoutEnlargement: true }).png().toBuffer();
  }
  const document = await documentOf(key, bytes);
  if (!document) return null;
  const page = await document.getPage(no);
  const natural = page.getViewport({ scale: 1 });
  const scale = Math.min(width / natural.width, Math.sqrt(mostPixels / (natural.width * natural.height)));
  const viewport = page.getViewport({ scale });
  const canvas = createCanvas(Math.max(1, Math.ceil(viewport.width)), Math.max(1, Math.ceil(viewport.height)));
  await page.render({ canvas: canvas as never, canvasContext: canvas.getContext('2d') as never, viewport }).promise;
  page.cleanup();
  return canvas.encode('png');
}

async function words({ key, bytes, most }: Named & { most: number }): Promise<PageWords | null> {
  const document = await documentOf(key, bytes);
  return document && textOf(document, most);
}

answerTasks(answering(measuring, measure), answering(drawing, draw), answering(readingPages, words));
