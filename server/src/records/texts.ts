import { message } from '@key-cellar/words';
import { compileDetector, type Sign } from '@key-cellar/core/criteria';
import { Problem, task } from '../kernel/index.js';
import type { Services } from './services.js';
import { isContainer, isDrawn, mostBytes, type DocumentWords, type Unread } from './documentText.js';
import { notRecognised, recognise, scanIn, type Patience, type Scan } from './scans.js';
import { readWhole, type StoredRow } from './view.js';

/** A larger document is not opened for its text. */
const largestDocument = 64 * 1024 * 1024;
export const readingWords = task<{ readonly bytes: Uint8Array; readonly mediaType: string }, DocumentWords>('words', {
  patienceMs: 60_000,
});

interface Look {
  readonly text: string;
  readonly detectors: readonly { readonly id: string; readonly signs: readonly Sign[] }[];
}
export const lookingForSigns = task<Look, readonly string[]>('signs', { patienceMs: 60_000 });

/** Ids of the detectors that a text meets. */
export function signsIn({ text, detectors }: Look): readonly string[] {
  return detectors.filter(({ signs }) => compileDetector(signs)(text).met).map(({ id }) => id);
}

export const tryingSigns = task<
  { readonly text: string; readonly signs: readonly Sign[] },
  { readonly met: boolean; readonly found: readonly number[] }
>('tryingSigns', { patienceMs: 60_000 });

/** What each of some signs finds in a text. */
export function signsTried({ text, signs }: { readonly text: string; readonly signs: readonly Sign[] }): {
  met: boolean;
  found: readonly number[];
} {
  const { met, signs: findings } = compileDetector(signs)(text);
  return { met, found: findings.map((f) => f.found) };
}

const notRead = (): Problem => new Problem(422, 'not-read', message('records.notRead'));

/** What a content says, and what of it could not be read. */
export interface ContentWords {
  readonly text: string;
  readonly unread: readonly Unread[];
}

/** What recognising the words of one content may take; it is done once. */
const recognisingMs = 240_000;

/**
 * The words in a content, and in what lies in it: of text its beginning, of pages and drawings without their tags, of PDF and office documents,
 * mail and archives what they say, of pictures and scanned pages what is recognised in them: once, in minutes, or for somebody who waits for it
 * `until` (ms since 1970) at most. Tells what has no words here. Throws a Problem when a document cannot be read or its stored copy is damaged.
 */
export async function wordsIn(services: Services, content: StoredRow, until?: number): Promise<ContentWords> {
  const { texts, unread, scans } = await ownWords(services, content);
  if (scans.length === 0) return { text: texts.join('\n\n'), unread };
  const patience: Patience = until === undefined ? { until: Date.now() + recognisingMs, then: 'leaveOut' } : { until, then: 'later' };
  const kept = await services.contents.recognised(content.content_id);
  const found = kept ? null : await recognise(services, scans, patience);
  if (found?.complete) await services.contents.keepRecognised(content.content_id, { text: found.text, unread: found.unread });
  const { text, unread: missed } = kept ?? found ?? notRecognised(scans);
  return { text: [...texts, text].join('\n\n'), unread: [...unread, ...missed] };
}

interface OwnWords {
  readonly texts: readonly string[];
  readonly unread: readonly Unread[];
  readonly scans: readonly Scan[];
}

/** What a content says itself, and what in it has to be recognised. */
async function ownWords(services: Services, content: StoredRow): Promise<OwnWords> {
  const { media_type: mediaType, size } = content;
  const whole = (why: Unread['why']): OwnWords => ({ texts: [], unread: [{ part: null, why }], scans: [] });
  if (/^(audio|video|font)\//.test(mediaType)) return whole('kind');
  const opened = isContainer(mediaType) || isDrawn(mediaType);
  if (opened && size > largestDocument) return whole('large');
  if (isDrawn(mediaType)) {
    const drawn: Scan = {
      part: null,
      content: { sha256: content.sha256, mediaType, load: () => readWhole(services, content) },
      pages: null,
    };
    return { unread: [], ...(await wordsDrawn(services, drawn)) };
  }
  // One byte more than is read tells that there is more.
  const bytes = opened || size <= mostBytes ? await readWhole(services, content) : await beginning(services, content, mostBytes + 1);
  const read = await services.reading.run(readingWords, { bytes, mediaType }).catch((error: unknown) => {
    throw error instanceof Problem ? error : notRead();
  });
  let texts = [read.text];
  const unread = [...read.unread];
  let scans: Scan[] = [];
  for (const { part, bytes: inner, mediaType: kind } of read.drawn) {
    const found = await wordsDrawn(services, scanIn(part, Buffer.from(inner), kind, null)).catch(() => null);
    if (found === null) unread.push({ part, why: 'damaged' });
    texts = texts.concat(found?.texts ?? []);
    scans = scans.concat(found?.scans ?? []);
  }
  return { texts, unread, scans };
}

/** Of a PDF document its text, and its pages that have none; of a picture nothing but itself. */
async function wordsDrawn(services: Services, scan: Scan): Promise<Pick<OwnWords, 'texts' | 'scans'>> {
  if (scan.content.mediaType !== 'application/pdf') return { texts: [], scans: [scan] };
  const { text, bare } = await services.pages.text(scan.content);
  if (bare.length > 0) return { texts: [text], scans: [{ ...scan, pages: bare }] };
  return { texts: [text], scans: text.trim() === '' ? [scan] : [] };
}

async function beginning(services: Services, content: StoredRow, most: number): Promise<Buffer> {
  const parts: Buffer[] = [];
  for await (const part of services.contents.read(services.pool, content.content_id, 0, most)) parts.push(part);
  return Buffer.concat(parts);
}
