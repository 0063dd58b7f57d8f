// What the page thread runs: draws pages of documents as pictures, and reads their words. Documents come from anybody, so it is a
// thread that can be ended in the middle of one; it sees nothing but the bytes it is given.
import { createRequire } from 'node:module';
import { dirname, join } from 'node:path';
import { createCanvas, GlobalFonts, loadImage, type Canvas, type SKRSContext2D } from '@napi-rs/canvas';
import * as pdfjs from 'pdfjs-dist/legacy/build/pdf.mjs';
import sharp from 'sharp';
import { readAs } from '@key-cellar/core/records';
import { longestText } from '@key-cellar/core/criteria';
import { answering, answerTasks } from './kernel/index.js';
import { decodedText } from './tables/index.js';
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

/** A4 in points, as text is laid out on it. */
const sheet = { width: 595, height: 842, margin: 48, line: 14, size: 10 } as const;
const linesOnSheet = Math.floor((sheet.height - 2 * sheet.margin) / sheet.line);
const face = 'Key Cellar';

function withFace(fontsDir: string): string {
  if (!GlobalFonts.has(face)) GlobalFonts.registerFromPath(join(fontsDir, 'AtkinsonHyperlegibleNext-Regular.ttf'), face);
  return face;
}

const laidOut = new Map<string, readonly string[]>();

/** A line of text in lines that fit on a sheet: broken between words, and inside of one that is longer than a line. */
function* fitted(context: SKRSContext2D, line: string): Generator<string> {
  const most = sheet.width - 2 * sheet.margin;
  let now = '';
  for (const word of line.replaceAll('\t', '    ').match(/\s*\S{1,80}/g) ?? ['']) {
    if (now !== '' && context.measureText(now + word).width > most) {
      yield now;
      now = word.trimStart();
    } else now += word;
    while (context.measureText(now).width > most && now.length > 1) {
      let end = now.length - 1;
      while (end > 1 && context.measureText(now.slice(0, end)).width > most) end = Math.floor(end * 0.9);
      yield now.slice(0, end);
      now = now.slice(end);
    }
  }
  yield now;
}

/** Text in lines as they stand on its sheets. */
function linesOf({ key, bytes, fontsDir }: Named): readonly string[] | null {
  const known = laidOut.get(key);
  if (known) return known;
  if (!bytes) return null;
  const context = createCanvas(1, 1).getContext('2d');
  context.font = `${sheet.size}px ${withFace(fontsDir)}`;
  const lines: string[] = [];
  for (const line of decodedText(Buffer.from(bytes))
    .text.slice(0, longestText)
    .split(/\r\n|[\n\r\f]/))
    for (const part of fitted(context, line)) lines.push(part);
  for (const oldest of [...laidOut.keys()].slice(0, Math.max(0, laidOut.size - mostOpen + 1))) laidOut.delete(oldest);
  laidOut.set(key, lines);
  return lines;
}

const sheetsOf = (lines: readonly string[]): number => Math.max(1, Math.ceil(lines.length / linesOnSheet));

function drawText(lines: readonly string[], no: number, width: number, fontsDir: string): Canvas {
  if (no > sheetsOf(lines)) throw new RangeError(`There is no page ${no}`);
  const scale = width / sheet.width;
  const canvas = createCanvas(width, Math.ceil(sheet.height * scale));
  const context = canvas.getContext('2d');
  context.fillStyle = '#ffffff';
  context.fillRect(0, 0, canvas.width, canvas.height);
  context.scale(scale, scale);
  context.fillStyle = '#14201b';
  context.font = `${sheet.size}px ${withFace(fontsDir)}`;
  lines
    .slice((no - 1) * linesOnSheet, no * linesOnSheet)
    .forEach((line, i) => context.fillText(line, sheet.margin, sheet.margin + (i + 1) * sheet.line - 4));
  return canvas;
}

/** The picture of a page with a mark all over it, slanted, so that no part of it goes without. */
async function marked(picture: Uint8Array, mark: string, fontsDir: string): Promise<Uint8Array> {
  const page = await loadImage(picture);
  const canvas = createCanvas(page.width, page.height);
  const context = canvas.getContext('2d');
  context.drawImage(page, 0, 0);
  const size = Math.max(12, Math.round(page.width / 48));
  context.font = `${size}px ${withFace(fontsDir)}`;
  const [step, wide] = [size * 7, context.measureText(mark).width + size * 4];
  const reach = Math.hypot(page.width, page.height);
  context.translate(page.width / 2, page.height / 2);
  context.rotate(-Math.PI / 7);
  context.fillStyle = 'rgba(93, 42, 99, 0.22)';
  for (let y = -reach; y < reach; y += step)
    for (let x = -reach - ((y / step) % 2) * (wide / 2); x < reach; x += wide) context.fillText(mark, x, y);
  return canvas.encode('png');
}

async function measure(named: Named): Promise<Extent | null> {
  const { key, mediaType, bytes } = named;
  if (readAs(mediaType) === 'text') {
    const lines = linesOf(named);
    return lines && { pages: sheetsOf(lines), width: sheet.width, height: sheet.height };
  }
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

type Wanted = Named & { readonly no: number; readonly width: number };

async function drawn(wanted: Wanted): Promise<Uint8Array | null> {
  const { key, mediaType, bytes, no, width, fontsDir } = wanted;
  if (readAs(mediaType) === 'text') {
    const lines = linesOf(wanted);
    return lines && drawText(lines, no, width, fontsDir).encode('png');
  }
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

async function draw({ mark, ...wanted }: Wanted & { readonly mark: string | null }): Promise<Uint8Array | null> {
  const picture = await drawn(wanted);
  return picture && mark !== null ? marked(picture, mark, wanted.fontsDir) : picture;
}

async function words({ key, bytes, most }: Named & { most: number }): Promise<PageWords | null> {
  const document = await documentOf(key, bytes);
  return document && textOf(document, most);
}

answerTasks(answering(measuring, measure), answering(drawing, draw), answering(readingPages, words));
