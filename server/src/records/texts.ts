import { message } from '@key-cellar/words';
import { createHash } from 'node:crypto';
import { compileDetector, type Sign } from '@key-cellar/core/criteria';
import { Problem, task } from '../kernel/index.js';
import type { Services } from './services.js';
import { isContainer, mostBytes, type DocumentWords, type Unread } from './documentText.js';
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

/**
 * The words in a content, and in what lies in it: of text its beginning, of pages and drawings without their tags, of PDF and office documents,
 * mail and archives what they say. Tells what has no words here. Throws a Problem when a document cannot be read or its stored copy is damaged.
 */
export async function wordsIn(services: Services, content: StoredRow): Promise<ContentWords> {
  const { media_type: mediaType, size } = content;
  const whole = (why: Unread['why']): ContentWords => ({ text: '', unread: [{ part: null, why }] });
  if (mediaType === 'application/pdf') {
    if (size > largestDocument) return whole('large');
    const text = await services.pages.text({ sha256: content.sha256, mediaType, load: () => readWhole(services, content) });
    return { text, unread: text.trim() === '' ? [{ part: null, why: 'scan' }] : [] };
  }
  const opened = isContainer(mediaType);
  if (opened && size > largestDocument) return whole('large');
  if (mediaType.startsWith('image/') && mediaType !== 'image/svg+xml') return whole('picture');
  if (/^(audio|video|font)\//.test(mediaType)) return whole('kind');
  // One byte more than is read tells that there is more.
  const bytes = opened || size <= mostBytes ? await readWhole(services, content) : await beginning(services, content, mostBytes + 1);
  const read = await services.reading.run(readingWords, { bytes, mediaType }).catch((error: unknown) => {
    throw error instanceof Problem ? error : notRead();
  });
  const texts = [read.text];
  const unread = [...read.unread];
  for (const pdf of read.pdfs) {
    const inner = Buffer.from(pdf.bytes);
    const named = { sha256: createHash('sha256').update(inner).digest(), mediaType: 'application/pdf', load: () => Promise.resolve(inner) };
    const text = await services.pages.text(named).catch(() => null);
    if (text === null || text.trim() === '') unread.push({ part: pdf.part, why: text === null ? 'damaged' : 'scan' });
    else texts.push(text);
  }
  return { text: texts.join('\n\n'), unread };
}

async function beginning(services: Services, content: StoredRow, most: number): Promise<Buffer> {
  const parts: Buffer[] = [];
  for await (const part of services.contents.read(services.pool, content.content_id, 0, most)) parts.push(part);
  return Buffer.concat(parts);
}
