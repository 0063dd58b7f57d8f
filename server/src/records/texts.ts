import { message } from '@key-cellar/words';
import { compileDetector, longestText, type Sign } from '@key-cellar/core/criteria';
import { Problem, task } from '../kernel/index.js';
import type { Services } from './services.js';
import { isOffice, officeText } from './officeText.js';
import { readWhole, type StoredRow } from './view.js';

/** Bytes of text that are read: more letters than a detector looks at have no more. */
const mostBytes = 4 * longestText;
/** A larger document is not opened for its text. */
const largestDocument = 64 * 1024 * 1024;

const isText = (mediaType: string): boolean =>
  mediaType.startsWith('text/') || ['application/json', 'application/xml', 'image/svg+xml', 'message/rfc822'].includes(mediaType);
const isMarkup = (mediaType: string): boolean => ['text/html', 'application/xml', 'image/svg+xml', 'text/xml'].includes(mediaType);

interface Document {
  readonly bytes: Uint8Array;
  readonly mediaType: string;
}
export const readingWords = task<Document, string>('words', { patienceMs: 30_000 });

/** The words of an office document or a text, read in a thread that can be ended. */
export async function wordsOfDocument({ bytes: given, mediaType }: Document): Promise<string> {
  const bytes = Buffer.from(given.buffer, given.byteOffset, given.byteLength);
  if (isOffice(mediaType)) return officeText(bytes, mediaType, mostBytes);
  const text = bytes.toString('utf8');
  // A tag may stand within a number; what it leaves is one space at most.
  return isMarkup(mediaType) ? text.replace(/<[^<>]*>/g, ' ').replace(/\s+/g, ' ') : text;
}

interface Look {
  readonly text: string;
  readonly detectors: readonly { readonly id: string; readonly signs: readonly Sign[] }[];
}
export const lookingForSigns = task<Look, readonly string[]>('signs', { patienceMs: 60_000 });

/** Ids of the detectors that a text meets. */
export function signsIn({ text, detectors }: Look): readonly string[] {
  return detectors.filter(({ signs }) => compileDetector(signs)(text).met).map(({ id }) => id);
}

const notRead = (): Problem => new Problem(422, 'not-read', message('records.notRead'));

/**
 * The words in a content: of text its beginning, of pages and drawings without their tags, of PDF and office documents
 * what they say. Empty for what has none. Throws a Problem when a document cannot be read or its stored copy is damaged.
 */
export async function wordsIn(services: Services, content: StoredRow): Promise<string> {
  const { media_type: mediaType, size } = content;
  if (mediaType === 'application/pdf') {
    if (size > largestDocument) return '';
    return services.pages.text({ sha256: content.sha256, mediaType, load: () => readWhole(services, content) });
  }
  const office = isOffice(mediaType);
  if (!office && !isText(mediaType)) return '';
  if (office && size > largestDocument) return '';
  const bytes = office || size <= mostBytes ? await readWhole(services, content) : await beginning(services, content);
  return services.reading.run(readingWords, { bytes, mediaType }).catch((error: unknown) => {
    throw error instanceof Problem ? error : notRead();
  });
}

async function beginning(services: Services, content: StoredRow): Promise<Buffer> {
  const parts: Buffer[] = [];
  for await (const part of services.contents.read(services.pool, content.content_id, 0, mostBytes)) parts.push(part);
  return Buffer.concat(parts);
}
