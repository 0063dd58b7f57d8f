import { longestText } from '@key-cellar/core/criteria';
import { Problem } from '../kernel/index.js';
import type { Services } from './services.js';
import { readContent } from './content.js';
import { isOffice, officeText } from './officeText.js';
import { readWhole, type StoredRow } from './view.js';

/** Bytes of text that are read: more letters than a detector looks at have no more. */
const mostBytes = 4 * longestText;
/** A larger document is not opened for its text. */
const largestDocument = 64 * 1024 * 1024;

const isText = (mediaType: string): boolean =>
  mediaType.startsWith('text/') || ['application/json', 'application/xml', 'image/svg+xml', 'message/rfc822'].includes(mediaType);
const isMarkup = (mediaType: string): boolean => ['text/html', 'application/xml', 'image/svg+xml', 'text/xml'].includes(mediaType);

/**
 * The words in a content: of text its beginning, of pages and drawings without their tags, of PDF and office documents
 * what they say. Empty for what has none. Throws a Problem when a document cannot be read or its stored copy is damaged.
 */
export async function wordsIn(services: Services, content: StoredRow): Promise<string> {
  if (content.media_type === 'application/pdf') {
    if (content.size > largestDocument) return '';
    return services.pages.text({ sha256: content.sha256, mediaType: content.media_type, load: () => readWhole(services, content) });
  }
  if (isOffice(content.media_type)) {
    if (content.size > largestDocument) return '';
    const bytes = await readWhole(services, content);
    return officeText(bytes, content.media_type, mostBytes).catch(() => {
      throw new Problem(422, 'not-read', 'This document cannot be read; it may be damaged or locked.');
    });
  }
  if (!isText(content.media_type)) return '';
  const text = (content.size <= mostBytes ? await readWhole(services, content) : await beginning(services, content)).toString('utf8');
  // A tag may stand within a number; what it leaves is one space at most.
  return isMarkup(content.media_type) ? text.replace(/<[^<>]*>/g, ' ').replace(/\s+/g, ' ') : text;
}

async function beginning(services: Services, content: StoredRow): Promise<Buffer> {
  const parts: Buffer[] = [];
  for await (const part of readContent(services.pool, content.content_id, 0, mostBytes)) parts.push(part);
  return Buffer.concat(parts);
}
